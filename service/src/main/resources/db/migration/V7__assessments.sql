-- Assessments with revisions, on both bases; the prices and rules they go by.

-- A day of use in little (docs/formats/usage-digest.md). Kept when the day itself is folded into its month.
create table usage_digest (
  machine_id text not null references machine on delete cascade,
  day date not null,
  packed bytea not null,
  primary key (machine_id, day)
);
alter table usage_digest alter column packed set storage main;

-- Those of before held the first basis alone, and can be made anew.
drop table assessment;

create table price_book (
  id text primary key,
  name text not null unique,
  currency text not null,
  prices jsonb not null,
  made_by text not null,
  made_at timestamptz not null
);

-- Rules of the house, beside those that come with the service.
create table fitness_rules (
  name text primary key,
  yaml text not null,
  made_by text not null,
  made_at timestamptz not null
);

create table assessment (
  id text primary key,
  name text not null unique,
  -- Whom it is about: a filter, gone through anew for each revision, or machines by name.
  filter text not null,
  machines jsonb not null,
  -- None where a price book describes the target.
  target_site_id text references site,
  made_by text not null,
  made_at timestamptz not null
);

-- Never changed once made.
create table assessment_revision (
  assessment_id text not null references assessment on delete cascade,
  number integer not null,
  made_by text not null,
  made_at timestamptz not null,
  why text not null,
  assumptions jsonb not null,
  -- What was offered, and at which prices.
  offer jsonb not null,
  summary jsonb not null,
  primary key (assessment_id, number)
);

create table assessed_machine (
  assessment_id text not null,
  revision integer not null,
  machine_id text not null,
  name text not null,
  verdict text not null,
  codes text[] not null,
  configured_size text not null,
  configured_monthly numeric,
  observed_size text not null,
  observed_monthly numeric,
  above_seconds bigint not null,
  line text not null,
  body text not null,
  primary key (assessment_id, revision, machine_id),
  foreign key (assessment_id, revision) references assessment_revision on delete cascade
);
alter table assessed_machine alter column body set compression lz4;
create index assessed_machine_by_machine on assessed_machine (machine_id);

-- The size that was accepted for a machine at a target.
create table size_choice (
  machine_id text not null references machine on delete cascade,
  target_site_id text not null references site on delete cascade,
  assessment_id text not null references assessment on delete cascade,
  revision integer not null,
  basis text not null,
  size text not null,
  made_by text not null,
  made_at timestamptz not null,
  primary key (machine_id, target_site_id)
);

-- Whether an address is of the ranges that are used inside (RFC 1918, 3927, 4193, 4291, 6598).
create function address_inside(address inet) returns boolean
  language sql immutable
  as $$ select address <<= any ('{10.0.0.0/8,172.16.0.0/12,192.168.0.0/16,169.254.0.0/16,100.64.0.0/10,127.0.0.0/8,fc00::/7,fe80::/10,::1}'::inet[]) $$;
