-- Who works here: what they call themselves, their colour, where they were seen last.
create table people (
    author text primary key,
    name text not null default '',
    -- Red, green, blue; none: one is made of the author.
    colour integer[],
    drawing bigint references drawings on delete set null,
    shot bigint references shots on delete set null,
    seen timestamptz not null default now()
);
create index people_seen on people (seen);
