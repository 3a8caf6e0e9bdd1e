-- What a site takes and refuses of machines that are made there; none until it is scanned again.
alter table site add column offers jsonb;
alter table site_network add column reserved text[] not null default '{}';

-- Decisions of a lane that hold for some machines, cards and disks only; what it joins stays in its plan. The subject
-- is the label, the role, or the id of the network, machine or wave.
create table lane_rule (
  lane_id text not null references lane (id) on delete cascade,
  scope text not null,
  subject text not null,
  part integer not null,
  setting text not null,
  value text not null,
  machine_id text references machine (id) on delete cascade,
  wave_id text references wave (id) on delete cascade,
  primary key (lane_id, scope, subject, part, setting)
);
create index lane_rule_of_machine on lane_rule (machine_id);
create index lane_rule_of_wave on lane_rule (wave_id);

-- Addresses that cards of members have been given at the site they go to; nobody else is given them.
create table given_address (
  site_id text not null references site (id) on delete cascade,
  network text not null,
  address text not null,
  member_id text not null references member (id) on delete cascade,
  card integer not null,
  primary key (site_id, network, address),
  unique (member_id, card)
);
