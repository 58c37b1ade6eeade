-- A finished key is never computed again.
create table result (
    key text primary key,
    value jsonb not null,
    created timestamptz not null default now()
);

create table job (
    id bigint generated always as identity primary key,
    shot_id bigint not null references shot (id) on delete cascade,
    kind text not null,
    title text not null,
    parameters jsonb not null,
    key text not null,
    state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'stopped', 'failed')),
    done int not null default 0,
    total int not null default 0,
    seconds_per_item double precision,
    message text not null default '',
    output jsonb,
    stop_asked boolean not null default false,
    who text not null,
    created timestamptz not null default now(),
    started timestamptz,
    ended timestamptz
);

create unique index job_live_key on job (key) where state in ('waiting', 'running');
create index job_shot on job (shot_id, id desc);
