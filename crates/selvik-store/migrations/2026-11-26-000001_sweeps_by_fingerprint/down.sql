ALTER TABLE cells ADD COLUMN sweeping_since TIMESTAMPTZ;
DROP TABLE wanted_sweeps;
DELETE FROM sweeps AS older USING sweeps AS newer
    WHERE older.cell_id = newer.cell_id AND (older.revision, older.fingerprint) < (newer.revision, newer.fingerprint);
ALTER TABLE sweeps DROP CONSTRAINT sweeps_pkey;
ALTER TABLE sweeps ADD PRIMARY KEY (cell_id);
