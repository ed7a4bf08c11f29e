-- How many pairs the last sweep could not certify, what it came to, and of which revision it was made: a sweep of an
-- older model never takes the place of a newer one's. What earlier builds found is not certified.
ALTER TABLE sweeps
    ADD COLUMN not_certified INTEGER NOT NULL DEFAULT 0,
    ADD COLUMN verdict TEXT NOT NULL DEFAULT 'not_certified',
    ADD COLUMN revision BIGINT NOT NULL DEFAULT 0;

-- What a sweep of the cell as it is now would depend on, and since when one is under way.
ALTER TABLE cells
    ADD COLUMN fingerprint TEXT,
    ADD COLUMN sweeping_since TIMESTAMPTZ;
