-- A drawing that was taken out hangs nowhere, and can be brought back. Who changed it last, and when.
alter table drawings
    alter column place drop not null,
    add column taken_out timestamptz,
    add column changed_at timestamptz not null default now(),
    add column changed_by text not null default '',
    add constraint drawings_hang_or_not check ((place is null) = (taken_out is not null));

-- Shots and productions that are put away give their numbers and names free. A shot's recipes are for drawings to come.
alter table shots
    drop constraint shots_production_number_key,
    add column put_away timestamptz,
    add column recipes jsonb;
create unique index shots_by_number on shots (production, number) where put_away is null;
alter table productions
    drop constraint productions_name_key,
    add column put_away timestamptz;
create unique index productions_by_name on productions (name) where put_away is null;

-- The job that took a step, so that all it did can be undone.
alter table changes add column job bigint;
create index changes_of_job on changes (job) where job is not null;

-- Drawings as they are flipped through: ink and paint at a size for the screen. All of it can be computed again.
create table stills (
    drawing bigint primary key references drawings on delete cascade,
    revision bigint not null,
    model bigint not null,
    facts jsonb not null,
    ink bytea not null,
    paint bytea not null
);
alter table stills alter column ink set storage external, alter column paint set storage external;
-- With each small picture its still is made.
delete from thumbnails;
