-- Things that shots take from one another: of a production, or (null) of the whole house.
create table shelf_thing (
    id bigint generated always as identity primary key,
    production text,
    kind text not null,
    name text not null,
    tags text[] not null default '{}',
    created timestamptz not null default now(),
    -- taken off the shelf; shots keep what they took
    gone boolean not null default false
);

create unique index shelf_thing_name on shelf_thing (coalesce(production, ''), name) where not gone;

-- A version is never rewritten: a shot keeps the one that it took.
create table shelf_version (
    thing_id bigint not null references shelf_thing (id) on delete cascade,
    number int not null,
    who text not null,
    at timestamptz not null default now(),
    words text not null,
    author text not null,
    licence text not null,
    source text not null,
    part jsonb not null,
    preview text not null,
    primary key (thing_id, number)
);
