-- A sweep that has a name is kept until somebody takes the name away.
ALTER TABLE sweeps ADD COLUMN name TEXT;
