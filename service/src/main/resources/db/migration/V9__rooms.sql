-- What a run is about: its id for whoever asks for its runs, kind and name for people. Runs know no
-- more of waves and sites than that.
alter table run
  add column subject_kind text,
  add column subject_id text,
  add column subject_name text,
  add column routine boolean not null default false;
update run r set subject_kind = 'wave', subject_id = r.tow_id, subject_name = w.name
  from tow t join wave w on w.id = t.wave_id where t.id = r.tow_id;
update run r set subject_kind = 'site', subject_id = s.id, subject_name = s.name
  from site s where s.id = r.site_id and r.tow_id is null;
update run set routine = true where kind = 'pass';
alter table run
  alter column subject_kind set not null,
  alter column subject_id set not null,
  alter column subject_name set not null,
  drop column tow_id,
  drop column site_id;
create index run_by_subject on run (subject_id, started_at desc);

-- A tow has its own lane and timetable and bears a name; a wave is what plans it.
alter table tow
  add column name text,
  add column lane_id text references lane,
  add column timetable_id text references timetable,
  add column settled_at timestamptz;
update tow t set name = w.name, lane_id = w.lane_id, timetable_id = w.timetable_id, settled_at = w.settled_at
  from wave w where w.id = t.wave_id;
alter table tow
  alter column name set not null,
  alter column lane_id set not null,
  alter column timetable_id set not null;
alter table wave drop column lane_id, drop column timetable_id, drop column settled_at;

-- The open wave that a machine is in.
create view machine_wave as
  select m.machine_id, w.id as wave_id, w.name as wave_name
    from member m join tow t on t.id = m.tow_id join wave w on w.id = t.wave_id
    where m.open;

-- The run whose landing a leg began with.
alter table leg add column begun_by text;
update leg l set begun_by = r.id from run r where r.notes ->> 'nextLeg' = l.id;

-- What a pass failed for: a code, and words beside it.
alter table pass add column problem_code text not null default '';
update pass set problem_code = split_part(problem, ': ', 1), problem = substr(problem, strpos(problem, ': ') + 2)
  where state = 'failed' and strpos(problem, ': ') > 0;

-- What the platform promised of a point, beside what was measured.
alter table point add column one_instant boolean not null default false;
update point set one_instant = consistency like 'one instant%' and consistency not like 'one instant a machine%';

-- Assumptions of an assessment: 'uptimes' are 'runningHours' now.
update assessment_revision
  set assumptions = (assumptions - 'uptimes') || jsonb_build_object('runningHours', assumptions -> 'uptimes')
  where jsonb_exists(assumptions, 'uptimes');
update assessment_revision
  set summary = jsonb_set(
    summary #- '{assumptions,uptimes}', '{assumptions,runningHours}', summary #> '{assumptions,uptimes}')
  where jsonb_exists(summary -> 'assumptions', 'uptimes');
