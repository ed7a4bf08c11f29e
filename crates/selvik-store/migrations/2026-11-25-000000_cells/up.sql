create table cells (
    id uuid primary key,
    name text not null,
    revision bigint not null,
    created_at timestamptz not null default now(),
    changed_at timestamptz not null default now(),
    opened_at timestamptz
);

-- The parts of a cell document, each edited as a whole.
create table entries (
    cell_id uuid not null references cells (id) on delete cascade,
    kind text not null,
    key text not null,
    position integer not null,
    body jsonb not null,
    primary key (cell_id, kind, key)
);

-- File contents, stored once whatever cells use them.
create table assets (
    hash text primary key,
    content bytea not null
);

create table cell_files (
    cell_id uuid not null references cells (id) on delete cascade,
    path text not null,
    hash text not null references assets (hash),
    primary key (cell_id, path)
);

-- Every change with what stood before and after: its inverse is the same read backwards.
create table edits (
    cell_id uuid not null references cells (id) on delete cascade,
    revision bigint not null,
    label text not null,
    changes jsonb not null,
    -- done, undone, dropped (undone and then overtaken by another edit), or reversal (an undo or redo)
    state text not null,
    at timestamptz not null default now(),
    primary key (cell_id, revision)
);

-- The last finished sweep of a cell, with what it was computed from.
create table sweeps (
    cell_id uuid primary key references cells (id) on delete cascade,
    fingerprint text not null,
    report jsonb not null,
    at timestamptz not null default now()
);
