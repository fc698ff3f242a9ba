-- The state a drawing had at a revision has a row of its own: keeping it anew does not hold up the next step. It is not
-- packed, which would take longer than all the rest.
create table states (
    drawing bigint primary key references drawings on delete cascade,
    revision bigint not null,
    sheet jsonb not null
);
alter table states alter column sheet set storage external;
insert into states (drawing, revision, sheet) select id, sheet_revision, sheet from drawings;
alter table drawings drop column sheet, drop column sheet_revision;
