-- What each drawing looked like small at a revision, in the colours its shot had then. All of it can be computed again.
create table thumbnails (
    drawing bigint primary key references drawings on delete cascade,
    revision bigint not null,
    model bigint not null,
    picture bytea not null
);
