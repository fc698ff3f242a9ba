-- The state is kept as it was at `sheet_revision`; the journal holds the steps since, done or undone.
alter table drawings add column sheet_revision bigint not null default 0;
update drawings set sheet_revision = revision;

create table journal (
    drawing bigint not null references drawings on delete cascade,
    revision bigint not null,
    change jsonb not null,
    back boolean not null,
    primary key (drawing, revision)
);
