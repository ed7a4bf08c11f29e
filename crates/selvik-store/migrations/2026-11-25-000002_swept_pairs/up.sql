-- How many pairs the last sweep looked at: a cell without any does not meet its rules, it has nothing to meet.
ALTER TABLE sweeps ADD COLUMN pairs INTEGER NOT NULL DEFAULT 0;
UPDATE sweeps SET pairs = coalesce(jsonb_array_length(report -> 'clearance' -> 'pairs'), 0);
