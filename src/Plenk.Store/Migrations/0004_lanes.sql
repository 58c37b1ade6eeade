-- A job is queued by being there: whoever serves its lane takes it under a lease, and another takes it when that one is gone.
alter table job
    add column lane text not null default 'long' check (lane in ('hands', 'long', 'frames')),
    add column worker text,
    add column lease_until timestamptz,
    add column attempts int not null default 0;

update job set lane = 'frames' where kind = 'handover';
-- What ran when the server was brought up to this is taken anew.
update job set state = 'waiting' where lane <> 'frames' and state = 'running';

insert into job_frame (job_id, frame) select id, 2147483647 from job where lane = 'frames' and state in ('waiting', 'running') on conflict do nothing;

create index job_open on job (lane, id) where state in ('waiting', 'running');

-- The line in front of each lane. Every shot's and every person's first job stands before anybody's second one; what runs already counts.
create view job_line as
with rank as (
    select id, lane, state,
        count(*) filter (where state = 'running') over (partition by lane, shot_id)
            + row_number() over (partition by lane, shot_id, state order by id) as of_shot,
        count(*) filter (where state = 'running') over (partition by lane, who)
            + row_number() over (partition by lane, who, state order by id) as of_who
    from job where state in ('waiting', 'running'))
select id, lane, row_number() over (partition by lane order by greatest(of_shot, of_who), id)::int as place
from rank where state = 'waiting';

drop schema if exists hangfire cascade;
