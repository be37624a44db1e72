-- Steps of plates, and strokes of steps: rows of their own, so that a stroke costs a stroke. Plates of before hold their
-- steps in their bodies until they are changed.
CREATE TABLE plate_step (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE stroke (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;
