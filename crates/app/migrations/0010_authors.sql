-- Who took a step ('': nobody in particular), and the revisions at which it was last done and last undone. What was there
-- before was nobody's.
alter table changes add column author text not null default '';
alter table changes add column done_at bigint not null default 0;
alter table changes add column undone_at bigint not null default 0;
