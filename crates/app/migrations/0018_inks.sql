-- The ink of a drawing as it was lifted and weighed last: it opens without its scan. All of it can be computed again.
create table inks (
    drawing bigint primary key references drawings on delete cascade,
    -- All that decides it, hashed.
    origin bytea not null,
    width integer not null,
    height integer not null,
    facts jsonb not null,
    -- In runs of 64 pixels, the bare ones left out.
    alpha bytea not null
);
alter table inks alter column alpha set storage external;
