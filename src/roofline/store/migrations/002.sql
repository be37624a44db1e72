-- Points seen in several photos.
CREATE TABLE tie (
    shot TEXT NOT NULL REFERENCES shot (id) ON DELETE CASCADE,
    id TEXT NOT NULL,
    place INTEGER NOT NULL,
    body TEXT NOT NULL CHECK (json_valid(body)),
    PRIMARY KEY (shot, id)
) STRICT, WITHOUT ROWID;
