-- The form that a sheet or a change is stored in. What was there before is of the first.
alter table states add column version smallint not null default 1;
alter table changes add column version smallint not null default 1;
alter table journal add column version smallint not null default 1;
