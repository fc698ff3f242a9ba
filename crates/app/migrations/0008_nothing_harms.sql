-- Tells a drawing of this database from one of the same number in another: pictures that browsers keep are named by it.
alter table drawings add column key uuid not null default gen_random_uuid();
-- Where its marks lie, so that nobody has to read whole states to know.
alter table drawings add column register jsonb;
update drawings set register = nullif(sheet->'recipes'->'intake'->'register', 'null') from states where drawing = id;
-- Files that came before were taken as they are stored, not as they are to be looked at.
alter table originals add column upright boolean not null default false;
alter table originals alter column upright set default true;
-- What of the file is missing or was left out, in words.
alter table originals add column notes jsonb not null default '[]';

-- How often an item was begun: one that ends its workers is given up.
alter table job_items add column attempts integer not null default 0;
create index job_items_drawing on job_items (drawing);
create index jobs_shot on jobs (shot);
create index drawings_marks on drawings (shot, place) where register is not null;
