-- A file of several pages is several drawings: each says which page it is, and all but the first share its bytes. So does
-- a copy of a drawing.
alter table originals
    alter column bytes drop not null,
    add column page integer not null default 0 check (page >= 0),
    add column shares bigint references originals (drawing),
    add constraint originals_have_bytes check ((bytes is null) <> (shares is null));
