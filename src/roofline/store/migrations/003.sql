-- Long work: what was ordered, on what, and how it went. A delivery has its version from the moment it is ordered.
CREATE TABLE job (
    id TEXT PRIMARY KEY,
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    kind TEXT NOT NULL,
    label TEXT NOT NULL,
    state TEXT NOT NULL DEFAULT 'ordered' CHECK (state IN ('ordered', 'running', 'done', 'failed', 'cancelled')),
    body TEXT NOT NULL CHECK (json_valid(body)),
    snapshot TEXT CHECK (snapshot IS NULL OR json_valid(snapshot)),
    revision INTEGER NOT NULL,
    version INTEGER,
    result TEXT CHECK (result IS NULL OR json_valid(result)),
    error TEXT,
    made TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
) STRICT;
CREATE UNIQUE INDEX version_of_job ON job (shot, version) WHERE version IS NOT NULL;
CREATE INDEX job_of_shot ON job (shot, state);

-- Frames of a delivery that are written.
CREATE TABLE frame (
    job TEXT NOT NULL REFERENCES job (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    file TEXT NOT NULL,
    PRIMARY KEY (job, number)
) STRICT, WITHOUT ROWID;

-- At which revision each list of a shot was changed last: what was made from an older one is not written over it.
CREATE TABLE listed (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    list TEXT NOT NULL,
    revision INTEGER NOT NULL,
    PRIMARY KEY (shot, list)
) STRICT, WITHOUT ROWID;

-- Files that nothing refers to, and since when that has been known.
CREATE TABLE unused (
    file TEXT PRIMARY KEY,
    since TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
) STRICT, WITHOUT ROWID;
