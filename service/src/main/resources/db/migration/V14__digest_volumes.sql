-- Digests lie in a volume of their own beside each replica, frozen with it; none yet where the name is empty.
alter table replica add column digests text not null default '';
-- Nothing is known of what is there until a pass has compared all of it.
update replica set anywhere = true where not blank;
alter table pass drop column digest_site_id;
alter table pass drop column digest_point;
drop table pass_digests;
-- Passes in flight are of the former kind: they end, and the timetable begins others.
update pass set state = 'failed', problem_code = 'upgraded', problem = 'the service was upgraded meanwhile', disks = '[]'
  where ended_at is null;
