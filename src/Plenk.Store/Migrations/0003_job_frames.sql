-- Frames of a job, taken one by one by whoever is free; a lease that runs out is taken again.
create table job_frame (
    job_id bigint not null references job (id) on delete cascade,
    frame int not null,
    state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed')),
    worker text,
    lease_until timestamptz,
    attempts int not null default 0,
    seconds double precision,
    message text not null default '',
    primary key (job_id, frame)
);

create index job_frame_open on job_frame (job_id, frame) where state in ('waiting', 'running');
