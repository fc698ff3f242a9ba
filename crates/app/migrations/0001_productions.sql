create table productions (
    id bigserial primary key,
    name text not null unique
);

create table shots (
    id bigserial primary key,
    production bigint not null references productions on delete cascade,
    number text not null,
    name text not null,
    -- The colour model: swatches in order.
    swatches jsonb not null default '[]',
    revision bigint not null default 0,
    unique (production, number)
);

create table drawings (
    id bigserial primary key,
    shot bigint not null references shots on delete cascade,
    -- Its place on the peg bar.
    place integer not null,
    name text not null,
    -- The state after all changes that are not undone.
    sheet jsonb not null,
    -- Counts every change, undo and redo.
    revision bigint not null default 0,
    -- The revision that was last handed off.
    handed_off bigint,
    -- Progress through the stations, for the peg bar.
    progress jsonb not null,
    unique (shot, place)
);

-- Originals as they came, byte for byte.
create table originals (
    drawing bigint primary key references drawings on delete cascade,
    file_name text not null,
    sha256 text not null,
    bytes bytea not null
);
alter table originals alter column bytes set storage external;

-- Every change, in order; undone ones wait to be done again until another change is made.
create table changes (
    drawing bigint not null references drawings on delete cascade,
    step integer not null,
    change jsonb not null,
    undone boolean not null default false,
    made_at timestamptz not null default now(),
    primary key (drawing, step)
);
