ALTER TABLE cells DROP COLUMN fingerprint, DROP COLUMN sweeping_since;
ALTER TABLE sweeps DROP COLUMN not_certified, DROP COLUMN verdict, DROP COLUMN revision;
