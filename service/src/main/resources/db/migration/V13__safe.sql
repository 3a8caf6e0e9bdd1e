-- Points and passes are numbered by counters that only grow: a clock, or a point that was removed, changes nothing.
alter table tow add column points int not null default 0;
update tow t set points = coalesce((select max(p.number) from point p where p.tow_id = t.id), 0);

-- The point that a leg's marker, its replicas and their digest maps belong to; replication that a person holds back.
alter table leg add column passes int not null default 0;
alter table leg add column point_id text;
alter table leg add column held_by text not null default '';
update leg l set
  passes = coalesce((select max(p.number) from pass p where p.leg_id = l.id), 0),
  point_id = (select p.id from point p where p.leg_id = l.id order by p.number desc limit 1);

-- Since when a pass has not got on, and before when it is not offered again.
alter table pass add column stalled_since timestamptz;
alter table pass add column not_before timestamptz;

-- Who asked that a run is stopped; empty for nobody.
alter table run add column stop_by text not null default '';

-- Whoever drives a run has a higher epoch than all before, on whatever run: sites keep the highest for each kind of work on a tow.
create sequence run_epoch;
select setval('run_epoch', 1 + (select coalesce(max(epoch), 0) from run));
