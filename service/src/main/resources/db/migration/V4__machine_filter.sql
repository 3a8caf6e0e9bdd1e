-- What lists of machines are filtered and sorted by, told by the database itself from the facts.

create function machine_disk_bytes(facts jsonb) returns bigint
  language sql immutable parallel safe
  as $$ select coalesce(sum((d ->> 'bytes')::bigint), 0)::bigint from jsonb_array_elements(facts -> 'disks') d $$;

create function machine_on_network(facts jsonb, wanted text, part boolean) returns boolean
  language sql immutable parallel safe
  as $$ select exists (select from jsonb_array_elements(facts -> 'nics') n
    where lower(n ->> 'network') = wanted or part and position(wanted in lower(n ->> 'network')) > 0) $$;

-- A platform may tell anything as an address: what is none lies in no block. Addresses of version 4 are told by their
-- form; the others are tried, which takes a subtransaction and so may not run in parallel.
create function address_or_null(told text) returns inet
  language plpgsql immutable
  as $$ begin return told::inet; exception when invalid_text_representation then return null; end $$;

create function machine_within(facts jsonb, block inet) returns boolean
  language sql immutable
  as $$ select exists (select from jsonb_array_elements(facts -> 'nics') n where case
    when n ->> 'address' ~ '^((25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])[.]){3}(25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])$'
      then (n ->> 'address')::inet <<= block
    when position(':' in n ->> 'address') > 0 then coalesce(address_or_null(n ->> 'address') <<= block, false)
    else false end) $$;

alter table machine
  add column own_labels jsonb not null default '{}',
  add column cpus integer generated always as (coalesce((facts ->> 'cpus')::integer, 0)) stored,
  add column memory_bytes bigint generated always as (coalesce((facts ->> 'memoryMib')::bigint, 0) * 1048576) stored,
  add column disk_count integer generated always as (coalesce(jsonb_array_length(facts -> 'disks'), 0)) stored,
  add column disk_bytes bigint generated always as (machine_disk_bytes(facts)) stored,
  add column os text generated always as (coalesce(nullif(facts ->> 'os', ''), facts #>> '{guest,os}', '')) stored,
  add column firmware text generated always as (coalesce(facts ->> 'firmware', '')) stored,
  add column powered boolean generated always as (coalesce((facts ->> 'on')::boolean, false)) stored,
  add column fenced boolean generated always as (coalesce((facts ->> 'fenced')::boolean, false)) stored,
  -- What was said by hand goes before what the platform tells.
  add column labels jsonb generated always as (coalesce(facts -> 'labels', '{}') || own_labels) stored;

drop index machine_by_name;
create index machine_by_name on machine (name, id);
create index machine_by_os on machine (os, id);
create index machine_by_cpus on machine (cpus, id);
create index machine_by_memory on machine (memory_bytes, id);
create index machine_by_disk on machine (disk_bytes, id);
