-- What machines used, whom they talked to, and what scans found changed.

-- A machine's samples of one day of UTC, packed (docs/formats/usage-day.md). Floats that differ don't compress: kept as they are.
create table usage_day (
  machine_id text not null references machine on delete cascade,
  day date not null,
  packed bytea not null,
  primary key (machine_id, day)
);
alter table usage_day alter column packed set storage external;

-- The counters of a machine when they were last looked at, where its platform keeps no samples.
create table usage_counter (
  machine_id text primary key references machine on delete cascade,
  counters jsonb not null
);

-- Up to when a site's own samples and observations were read.
alter table site add column usage_until timestamptz, add column connections_until timestamptz;

-- When a site is scanned by itself: a cron expression, empty for never.
alter table site add column schedule text not null default '';

create table connection (
  id bigint generated always as identity primary key,
  observer text not null,
  client inet not null,
  server inet not null,
  protocol text not null,
  port integer not null,
  process text not null,
  count bigint not null,
  bytes bigint not null,
  first_seen timestamptz not null,
  last_seen timestamptz not null,
  unique (client, server, protocol, port, process, observer)
);
create index connection_by_server on connection (server);

create sequence machine_change_ids increment by 50;
create table machine_change (
  id bigint primary key,
  site_id text not null references site on delete cascade,
  machine_id text not null references machine on delete cascade,
  at timestamptz not null,
  kind text not null,
  fact text not null,
  former text not null,
  present text not null
);
create index machine_change_by_site on machine_change (site_id, id);
create index machine_change_by_machine on machine_change (machine_id, id);

-- The addresses that a machine's platform and its guest tell, by the database itself.
create table machine_address (
  machine_id text not null references machine on delete cascade,
  address inet not null,
  primary key (machine_id, address)
);
create index machine_address_by_address on machine_address (address);

create function machine_addresses(facts jsonb) returns setof inet
  language sql immutable
  as $$
    select distinct host(told)::inet from (
      select case
        when said ~ '^((25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])[.]){3}(25[0-5]|2[0-4][0-9]|1[0-9][0-9]|[1-9]?[0-9])$' then said::inet
        when position(':' in said) > 0 or position('/' in said) > 0 then address_or_null(said) end told
      from (
        select n ->> 'address' said from jsonb_array_elements(facts -> 'nics') n
        union all
        select a from jsonb_array_elements(facts #> '{guest,cards}') c, jsonb_array_elements_text(c -> 'addresses') a) x
    ) y where told is not null and not told <<= '127.0.0.0/8' and told <> '::1' and not told <<= 'fe80::/10' $$;

create function keep_machine_addresses() returns trigger
  language plpgsql
  as $$ begin
    if tg_op = 'UPDATE' then
      delete from machine_address where machine_id = new.id;
    end if;
    insert into machine_address select new.id, machine_addresses(new.facts);
    return null;
  end $$;
create trigger machine_addresses_of_facts after insert or update of facts on machine
  for each row execute function keep_machine_addresses();
insert into machine_address select id, machine_addresses(facts) from machine;
drop function machine_within(jsonb, inet);
