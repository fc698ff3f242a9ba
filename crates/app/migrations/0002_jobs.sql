-- Long work on a shot, in items of one drawing (or one sheet that comes in) each.
create table jobs (
    id bigserial primary key,
    shot bigint not null references shots on delete cascade,
    what text not null,
    settings jsonb not null,
    stopped boolean not null default false,
    made_at timestamptz not null default now()
);

create table job_items (
    job bigint not null references jobs on delete cascade,
    place integer not null,
    -- The drawing that is worked on; none for a sheet that is to come in.
    drawing bigint references drawings on delete cascade,
    -- The number of the sheet that is to come in.
    sheet integer,
    state text not null default 'waiting' check (state in ('waiting', 'working', 'done', 'left', 'failed')),
    -- Why it was left as it was, or failed.
    told text,
    -- Who works on it, and when that was last heard of: what fell silent is taken up again.
    worker text,
    heard_at timestamptz,
    primary key (job, place)
);
create index job_items_open on job_items (state) where state in ('waiting', 'working');
