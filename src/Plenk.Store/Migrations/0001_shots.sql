create table shot (
    id bigint generated always as identity primary key,
    production text not null,
    sequence text not null,
    code text not null,
    title text not null default '',
    head int not null,
    created timestamptz not null default now(),
    unique (production, code)
);

-- The ledger: never rewritten. An undo is a new row equal to an earlier one.
create table revision (
    shot_id bigint not null references shot (id) on delete cascade,
    number int not null,
    who text not null,
    at timestamptz not null default now(),
    what text not null,
    document jsonb not null,
    -- the change whose state this row shows (its own number for a change), and the state that change was made on
    content int not null,
    parent int,
    -- states that redo would go back to, the next one last
    redo int[] not null default '{}',
    primary key (shot_id, number)
);

create table media (
    hash text primary key,
    bytes bigint not null,
    name text not null,
    created timestamptz not null default now()
);
