-- How what was written was verified. Until now it was read back before it was flushed.
alter table point add column verification text not null default 'none';
alter table point drop column verified;
alter table point alter column verification drop default;
-- Digests are of another format: nothing is known until a pass has compared all of it, and points keep none.
update replica set anywhere = true where not blank;
update point set volumes = (
  select coalesce(jsonb_agg(v || '{"digests": ""}'), '[]') from jsonb_array_elements(volumes) v);
-- A pass that a move waits for goes before others.
alter table pass add column urgent boolean not null default false;
-- Passes in flight are of the former kind: they end, and the timetable begins others.
update pass set state = 'failed', problem_code = 'upgraded', problem = 'the service was upgraded meanwhile', disks = '[]'
  where ended_at is null;
