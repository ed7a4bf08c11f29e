-- Variants of a cell: a change each, and what it came to on which state of the cell.
CREATE TABLE variants (
    id UUID PRIMARY KEY,
    cell_id UUID NOT NULL REFERENCES cells (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    edit JSONB NOT NULL,
    -- The sweep that is wanted of it.
    job UUID UNIQUE,
    -- When somebody took it up, and how often that was.
    begun_at TIMESTAMPTZ,
    attempts INTEGER NOT NULL DEFAULT 0,
    fingerprint TEXT,
    outcome JSONB
);
CREATE INDEX variants_of_cell ON variants (cell_id, position);
