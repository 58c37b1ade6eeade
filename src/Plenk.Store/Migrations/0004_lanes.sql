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

create index job_ended on job (ended);

-- The line in front of each lane. Every shot's and every person's first job stands before anybody's second one; what runs already counts, and what was
-- served since the longest waiting one came.
create view job_line as
with since as (select lane, min(created) as came from job where state = 'waiting' group by lane),
rank as (
    select j.id, j.lane, j.state,
        count(*) filter (where j.state <> 'waiting') over (partition by j.lane, j.shot_id)
            + row_number() over (partition by j.lane, j.shot_id, j.state order by j.id) as of_shot,
        count(*) filter (where j.state <> 'waiting') over (partition by j.lane, j.who)
            + row_number() over (partition by j.lane, j.who, j.state order by j.id) as of_who
    from job j join since on since.lane = j.lane
    where j.state in ('waiting', 'running') or j.ended > since.came)
select id, lane, row_number() over (partition by lane order by greatest(of_shot, of_who), id)::int as place
from rank where state = 'waiting';

drop schema if exists hangfire cascade;
