-- A cell in the bin can be brought back; the picture stands in the list of cells.
alter table cells
    add column binned_at timestamptz,
    add column thumbnail bytea;

-- How the rules stood at the last sweep, for the list of cells.
alter table sweeps
    add column broken integer not null default 0,
    add column tight integer not null default 0;

update sweeps set
    broken = (select count(*) from jsonb_array_elements(report -> 'clearance' -> 'pairs') as pair where pair ->> 'verdict' = 'broken'),
    tight = (select count(*) from jsonb_array_elements(report -> 'clearance' -> 'pairs') as pair where pair ->> 'verdict' = 'tight');
