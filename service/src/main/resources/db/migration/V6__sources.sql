-- Machines that several sources tell of, and the credentials that many sites use.

-- One that was stored with its site goes with it.
alter table credential
  add column type text not null default 'token',
  add column account text not null default '',
  add column own boolean not null default false;

create table site_credential (
  site_id text not null references site on delete cascade,
  position integer not null,
  credential_id text not null references credential,
  primary key (site_id, position)
);
create index site_credential_by_credential on site_credential (credential_id);
-- Sites of other kinds had an empty one each.
insert into site_credential select id, 0, credential_id from site where kind = 'standin';
alter table site drop column credential_id;
update credential set own = true;
delete from credential where id not in (select credential_id from site_credential);

-- The servers of sites that are lists of them.
create table server (
  id text primary key,
  site_id text not null references site on delete cascade,
  address text not null,
  port integer not null,
  -- Fingerprints that its host key may have; empty until it was seen.
  host_key text not null,
  -- The credential that let us in last.
  credential text not null,
  added_at timestamptz not null,
  read_at timestamptz,
  problem jsonb,
  unique (site_id, address, port)
);

-- What a source that reads machines from inside, or from a list, told of one, and when.
create table sighting (
  site_id text not null references site on delete cascade,
  source_key text not null,
  machine_id text not null references machine on delete cascade,
  seen_at timestamptz not null,
  facts jsonb not null,
  survey jsonb,
  -- The connections that were open when it was looked at last.
  links jsonb not null default '[]',
  primary key (site_id, source_key)
);
create index sighting_by_machine on sighting (machine_id);

-- What a machine is recognised by, whoever tells of it: the UUID of its firmware and its cards' addresses.
create table machine_mark (
  machine_id text not null references machine on delete cascade,
  source text not null,
  mark text not null,
  primary key (machine_id, source, mark)
);
create index machine_mark_by_mark on machine_mark (mark);

create function facts_marks(facts jsonb) returns setof text
  language sql immutable
  as $$ select distinct 'mac:' || lower(n ->> 'mac') from jsonb_array_elements(facts -> 'nics') n
    where lower(n ->> 'mac') ~ '^([0-9a-f]{2}:){5}[0-9a-f]{2}$' and n ->> 'mac' <> '00:00:00:00:00:00' $$;

create function keep_machine_marks() returns trigger
  language plpgsql
  as $$ begin
    if tg_op = 'UPDATE' then
      delete from machine_mark where machine_id = new.id and source = '';
    end if;
    insert into machine_mark select new.id, '', facts_marks(new.facts);
    if lower(new.platform_id) ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' then
      insert into machine_mark values (new.id, '', 'hw:' || lower(new.platform_id));
    end if;
    return null;
  end $$;
create trigger machine_marks_of_facts after insert or update of facts, platform_id on machine
  for each row execute function keep_machine_marks();
insert into machine_mark select id, '', facts_marks(facts) from machine;
insert into machine_mark select id, '', 'hw:' || lower(platform_id) from machine
  where lower(platform_id) ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$';

create function keep_sighting_marks() returns trigger
  language plpgsql
  as $$ begin
    if tg_op <> 'INSERT' then
      delete from machine_mark where machine_id = old.machine_id and source = old.site_id || '/' || old.source_key;
    end if;
    if tg_op <> 'DELETE' then
      insert into machine_mark select new.machine_id, new.site_id || '/' || new.source_key, facts_marks(new.facts);
      if coalesce(new.survey ->> 'hardwareId', '') <> '' then
        insert into machine_mark
          values (new.machine_id, new.site_id || '/' || new.source_key, 'hw:' || (new.survey ->> 'hardwareId'));
      end if;
    end if;
    return null;
  end $$;
create trigger sighting_marks_of_facts after insert or delete or update of facts, survey, machine_id on sighting
  for each row execute function keep_sighting_marks();

-- Counters by who told them: a guest's own and its platform's are different ones.
alter table usage_counter drop constraint usage_counter_pkey, add column source text, add column at timestamptz;
update usage_counter c set source = m.site_id, at = (c.counters ->> 'at')::timestamptz from machine m where m.id = c.machine_id;
alter table usage_counter alter column source set not null, alter column at set not null,
  add primary key (machine_id, source), add foreign key (source) references site on delete cascade;

-- Rules that give labels. By hand goes before a rule, a rule before the platform.
create table label_rule (
  id text primary key,
  -- Which rule is the older, even of two that were made in one instant.
  number bigint generated always as identity,
  filter text not null,
  name text not null,
  value text not null,
  made_by text not null,
  made_at timestamptz not null
);
alter table machine drop column labels;
alter table machine
  add column rule_labels jsonb not null default '{}',
  -- What rules go by: all but what rules give.
  add column told_labels jsonb generated always as (coalesce(facts -> 'labels', '{}') || own_labels) stored;
alter table machine
  add column labels jsonb generated always as (coalesce(facts -> 'labels', '{}') || rule_labels || own_labels) stored;

-- Agents in guests, and the keys that let one enrol, once. Of both only digests are kept.
create table agent (
  id text primary key,
  site_id text not null references site on delete cascade,
  name text not null,
  token_digest text not null unique,
  version text not null,
  enrolled_at timestamptz not null,
  heard_at timestamptz,
  surveyed_at timestamptz,
  -- How far its machine's clock is ahead of ours, in milliseconds.
  clock_ahead bigint not null,
  -- The number of the newest look that is held.
  held bigint not null,
  -- As whom it reads, and what it can't read.
  account text not null,
  unread jsonb not null,
  trouble text not null
);
create index agent_by_site on agent (site_id);
create index run_open_by_site on run (site_id) where ended_at is null;

create table agent_key (
  digest text primary key,
  site_id text not null references site on delete cascade,
  made_by text not null,
  expires_at timestamptz not null,
  used_at timestamptz,
  agent_id text references agent on delete set null
);

-- Tugs that ask for work.
create table tug (
  name text primary key,
  version text not null,
  heard_at timestamptz not null
);

-- A machine's samples of a month that is long past, folded (docs/formats/usage-month.md).
create table usage_month (
  machine_id text not null references machine on delete cascade,
  month date not null,
  packed bytea not null,
  primary key (machine_id, month)
);
alter table usage_month alter column packed set storage external;
