-- A cell keeps its last few sweeps, so that the one that fits again after an undo is found.
ALTER TABLE sweeps DROP CONSTRAINT sweeps_pkey;
ALTER TABLE sweeps ADD PRIMARY KEY (cell_id, fingerprint);

-- The sweep that is wanted of a cell, one at a time. The queue says who works on it; here stands what pages are told of it.
CREATE TABLE wanted_sweeps (
    cell_id UUID PRIMARY KEY REFERENCES cells (id) ON DELETE CASCADE,
    job UUID NOT NULL,
    fingerprint TEXT NOT NULL,
    asked_at TIMESTAMPTZ NOT NULL DEFAULT now(),
    -- When somebody took it up, how often that was, and when it was last heard of.
    begun_at TIMESTAMPTZ,
    attempts INTEGER NOT NULL DEFAULT 0,
    heard_at TIMESTAMPTZ,
    pairs_done BIGINT NOT NULL DEFAULT 0,
    pairs_total BIGINT NOT NULL DEFAULT 0,
    stop BOOLEAN NOT NULL DEFAULT false,
    -- Why it will not end, in a sentence.
    lost TEXT
);

INSERT INTO wanted_sweeps (cell_id, job, fingerprint, lost)
    SELECT id, id, coalesce(fingerprint, ''), 'the server ended in the middle of it'
    FROM cells WHERE sweeping_since IS NOT NULL;
ALTER TABLE cells DROP COLUMN sweeping_since;
