-- What was found of a delivery's frames: whether they held.
ALTER TABLE delivery ADD COLUMN says TEXT NOT NULL DEFAULT '';
