-- Shots and all that belongs to them. Measures and lists that are always read whole are kept as JSON.
CREATE TABLE shot (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL CHECK (length(name) > 0),
    made TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
    revision INTEGER NOT NULL DEFAULT 0
) STRICT;

-- name, delivery, move and limits of a shot
CREATE TABLE plan (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE photo (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE solid (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE plate (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE throw (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE key (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

-- Every change is a step; its log holds the statements that take it back (or, once undone, make it again).
CREATE TABLE step (
    id INTEGER PRIMARY KEY,
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    label TEXT NOT NULL,
    undone INTEGER NOT NULL DEFAULT 0 CHECK (undone IN (0, 1)),
    at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
) STRICT;
CREATE INDEX step_of_shot ON step (shot, undone, id);

CREATE TABLE undo_log (
    id INTEGER PRIMARY KEY,
    step INTEGER NOT NULL REFERENCES step (id) ON DELETE CASCADE,
    statement TEXT NOT NULL
) STRICT;
CREATE INDEX undo_of_step ON undo_log (step, id);

-- The step that changes belong to just now; 0: nothing is recorded.
CREATE TABLE recording (one INTEGER PRIMARY KEY CHECK (one = 1), step INTEGER NOT NULL) STRICT;
INSERT INTO recording VALUES (1, 0);

-- Deliveries: files handed off; never undone and never overwritten.
CREATE TABLE delivery (
    id INTEGER PRIMARY KEY,
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    version INTEGER NOT NULL,
    form TEXT NOT NULL,
    file TEXT NOT NULL,
    frames INTEGER NOT NULL,
    made TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
    revision INTEGER NOT NULL,
    UNIQUE (shot, version, form)
) STRICT;
