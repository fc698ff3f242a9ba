-- How many frames a drawing is seen for.
alter table drawings add column hold integer not null default 1 check (hold between 1 and 9999);

-- Whoever asked for a job.
alter table jobs add column author text not null default '';

-- What went out: which revision, as what, and what was in the way then.
create table hand_offs (
    id bigserial primary key,
    drawing bigint not null references drawings on delete cascade,
    revision bigint not null,
    author text not null,
    files jsonb not null,
    reasons jsonb not null,
    at timestamptz not null default now()
);
create index hand_offs_of on hand_offs (drawing, id);

-- What a job made, until the job is forgotten: a file has a name for each frame that it is seen in.
create table job_files (
    job bigint not null references jobs on delete cascade,
    place integer not null,
    number integer not null,
    names jsonb not null,
    bytes bytea not null,
    primary key (job, place, number)
);
alter table job_files alter column bytes set storage external;

-- What was found of an item's drawing, for the report.
alter table job_items add column facts jsonb;
