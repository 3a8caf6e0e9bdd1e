-- What is made at a site to measure a link is no tow's.
alter table site_object alter column tow_id drop not null;

-- What the way between a lane's sites carried when it was measured last. Times in microseconds, rates in bytes a second.
create table lane_link (
  lane_id text primary key references lane on delete cascade,
  measured_at timestamptz not null,
  from_answers bigint,
  from_disks text not null,
  from_delay bigint,
  from_problem text not null,
  to_answers bigint,
  to_disks text not null,
  to_delay bigint,
  to_problem text not null,
  there bigint,
  back bigint
);
