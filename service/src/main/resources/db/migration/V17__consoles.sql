-- The end of what the serial console of each machine told that a run started, when it was last looked at.
create table run_console (
  run_id text not null references run (id) on delete cascade,
  member_id text not null,
  machine text not null,
  site text not null,
  at timestamptz not null,
  text text not null,
  primary key (run_id, member_id)
);
