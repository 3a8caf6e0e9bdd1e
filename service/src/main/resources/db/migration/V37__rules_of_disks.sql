-- The disk that a decision is for, whatever its place among its machine's disks becomes; empty where no disk was there.
alter table lane_rule add column volume text not null default '';
update lane_rule r set volume = m.facts -> 'disks' -> r.part ->> 'volume'
  from machine m where r.scope = 'disk' and m.id = r.machine_id and m.facts -> 'disks' -> r.part ->> 'volume' is not null;
alter table lane_rule drop constraint lane_rule_pkey;
alter table lane_rule add primary key (lane_id, scope, subject, part, setting, volume);
