-- For a server that is open to a network: a key for each role, hashed, and who has shown one.
create table keys (
    role text primary key check (role in ('paint', 'look')),
    hash text not null,
    made_at timestamptz not null default now()
);
create table sessions (
    -- The hash of what the browser keeps.
    token bytea primary key,
    role text not null check (role in ('paint', 'look')),
    seen timestamptz not null default now()
);
