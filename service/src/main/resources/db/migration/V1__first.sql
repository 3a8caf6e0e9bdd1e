create table account (
  id text primary key,
  name text not null unique,
  password_hash text not null,
  created_at timestamptz not null
);

-- Sessions of the console and tokens of programs; only a digest of either is kept.
create table token (
  hash text primary key,
  account_id text not null references account,
  kind text not null,
  csrf text not null,
  expires_at timestamptz
);

create table credential (
  id text primary key,
  name text not null unique,
  sealed bytea not null,
  changed_at timestamptz not null
);

create table site (
  id text primary key,
  name text not null unique,
  kind text not null,
  address text not null,
  credential_id text not null references credential,
  created_at timestamptz not null,
  checked_at timestamptz,
  scanned_at timestamptz,
  findings jsonb not null,
  capabilities jsonb,
  inventory jsonb
);

create table machine (
  id text primary key,
  site_id text not null references site,
  platform_id text not null,
  name text not null,
  facts jsonb not null,
  first_seen timestamptz not null,
  last_seen timestamptz not null,
  vanished_at timestamptz,
  unique (site_id, platform_id)
);
create index machine_by_name on machine (name);

create table assessment (
  id text primary key,
  target_site_id text not null references site,
  at timestamptz not null,
  body jsonb not null
);

create table lane (
  id text primary key,
  name text not null unique,
  from_site_id text not null references site,
  to_site_id text not null references site,
  plan jsonb not null,
  version bigint not null
);

create table timetable (
  id text primary key,
  name text not null unique,
  every_seconds int not null,
  rpo_seconds int not null,
  keep_points int not null,
  verify boolean not null
);

create table wave (
  id text primary key,
  name text not null unique,
  lane_id text not null references lane,
  timetable_id text not null references timetable,
  created_at timestamptz not null,
  settled_at timestamptz
);

create table tow (
  id text primary key,
  wave_id text not null references wave,
  landed boolean not null,
  divergence jsonb,
  diverged boolean not null
);

create table member (
  id text primary key,
  tow_id text not null references tow,
  machine_id text not null references machine,
  name text not null,
  rank int not null,
  size text not null,
  size_basis text not null,
  home jsonb not null,
  away jsonb,
  test jsonb,
  open boolean not null
);
-- A machine is in one open move.
create unique index member_open on member (machine_id) where open;

create table leg (
  id text primary key,
  tow_id text not null references tow,
  number int not null,
  direction text not null,
  state text not null,
  marker text not null,
  base_point_id text,
  unique (tow_id, number)
);
-- A tow is replicated in one direction at a time.
create unique index leg_open on leg (tow_id) where state in ('open', 'paused');

create table replica (
  id text primary key,
  leg_id text not null references leg,
  member_id text not null references member,
  disk int not null,
  volume text not null,
  storage text not null,
  bytes bigint not null,
  -- The write-intent set: what of the replica may differ from the newest point.
  intent text not null,
  anywhere boolean not null,
  blank boolean not null,
  unique (leg_id, member_id, disk)
);

create table point (
  id text primary key,
  tow_id text not null references tow,
  leg_id text not null references leg,
  site_id text not null references site,
  number int not null,
  name text not null,
  as_of timestamptz not null,
  spread_ms bigint not null,
  consistency text not null,
  verified boolean not null,
  recorded_at timestamptz not null,
  sent bigint not null,
  volumes jsonb not null
);
create index point_newest on point (leg_id, as_of desc);

create table run (
  id text primary key,
  kind text not null,
  title text not null,
  tow_id text references tow,
  site_id text references site,
  parent_id text references run,
  state text not null,
  epoch bigint not null,
  input jsonb not null,
  notes jsonb not null,
  problem jsonb,
  result jsonb,
  started_by text not null,
  started_at timestamptz not null,
  ended_at timestamptz
);
create index run_open on run (state) where ended_at is null;
create index run_by_tow on run (tow_id, started_at desc);

-- A machine has at most one open run that changes it.
create table run_machine (
  run_id text not null references run,
  machine_id text not null references machine,
  primary key (run_id, machine_id)
);
create unique index run_machine_one on run_machine (machine_id);

create table step (
  run_id text not null references run,
  number int not null,
  name text not null,
  title text not null,
  state text not null,
  detail text not null,
  attempts int not null,
  started_at timestamptz,
  ended_at timestamptz,
  primary key (run_id, number)
);

create table pass (
  id text primary key,
  run_id text not null references run,
  tow_id text not null references tow,
  leg_id text references leg,
  number int not null,
  kind text not null,
  state text not null,
  as_of timestamptz,
  started_at timestamptz not null,
  ended_at timestamptz,
  epoch bigint not null,
  tug text not null,
  lease_until timestamptz,
  attempts int not null,
  verify boolean not null,
  digest_site_id text not null,
  digest_point text not null,
  disks jsonb not null,
  total bigint not null,
  done bigint not null,
  read bigint not null,
  sent bigint not null,
  zeroed bigint not null,
  problem text not null
);
-- One writer: a leg has one open pass.
create unique index pass_open on pass (leg_id) where ended_at is null;

-- Digest maps between the end of a pass and its point, where they belong.
create table pass_digests (
  pass_id text not null references pass,
  disk int not null,
  map bytea not null,
  primary key (pass_id, disk)
);

-- Everything of ours at a site, recorded before it is made. Not wanted any more: to be removed.
create table site_object (
  id text primary key,
  site_id text not null references site,
  tow_id text not null references tow,
  kind text not null,
  name text not null,
  owner text not null,
  wanted boolean not null,
  recorded_at timestamptz not null,
  problem text not null,
  unique (site_id, kind, name)
);

create table dossier (
  id text primary key,
  run_id text not null references run,
  tow_id text not null references tow,
  kind text not null,
  at timestamptz not null,
  record jsonb not null
);

create table event (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  kind text not null,
  subject text not null,
  run_id text not null,
  text text not null,
  data jsonb
);

create function event_told() returns trigger language plpgsql as $$
begin
  perform pg_notify('bargelane_event', new.id::text);
  return new;
end $$;
create trigger event_told after insert on event for each row execute function event_told();

-- Answers of writes that must not happen twice.
create table answered (
  key text primary key,
  account text not null,
  request text not null,
  status int not null,
  body text not null,
  at timestamptz not null
);

create table setting (
  name text primary key,
  value text not null
);

create table scheduled_tasks (
  task_name text not null,
  task_instance text not null,
  task_data bytea,
  execution_time timestamptz not null,
  picked boolean not null,
  picked_by text,
  last_success timestamptz,
  last_failure timestamptz,
  consecutive_failures int,
  last_heartbeat timestamptz,
  version bigint not null,
  priority smallint,
  primary key (task_name, task_instance)
);
create index scheduled_tasks_time on scheduled_tasks (execution_time);
create index scheduled_tasks_heartbeat on scheduled_tasks (last_heartbeat);
