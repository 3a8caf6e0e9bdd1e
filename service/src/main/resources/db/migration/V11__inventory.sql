-- What a site consists of, as rows: it was one document, parsed whole for every page.
create table site_network (
  site_id text not null references site on delete cascade,
  place integer not null,
  id text not null,
  name text not null,
  zone text,
  cidr text,
  isolated boolean not null,
  primary key (site_id, place)
);

create table site_storage (
  site_id text not null references site on delete cascade,
  place integer not null,
  id text not null,
  name text not null,
  media text,
  price_gib_month numeric,
  currency text,
  gib bigint not null,
  operations double precision not null,
  throughput_mib double precision not null,
  primary key (site_id, place)
);

create table site_size (
  site_id text not null references site on delete cascade,
  place integer not null,
  id text not null,
  cpus integer not null,
  memory_mib bigint not null,
  price_hour numeric,
  currency text,
  family text not null,
  generation text not null,
  nics integer not null,
  disks integer not null,
  operations double precision not null,
  throughput_mib double precision not null,
  network_mib double precision not null,
  zones text[] not null,
  primary key (site_id, place)
);

-- Addresses that machines have there; ours are those of machines that we made.
create table site_nic (
  site_id text not null references site on delete cascade,
  network text not null,
  address text not null,
  ours boolean not null,
  primary key (site_id, network, address)
);

alter table site add column zones jsonb, add column quota jsonb;

update site set zones = inventory -> 'zones', quota = inventory -> 'quota' where inventory is not null;

insert into site_network
  select s.id, o - 1, n ->> 'id', n ->> 'name', n ->> 'zone', n ->> 'cidr', (n ->> 'isolated')::boolean
  from site s, jsonb_array_elements(s.inventory -> 'networks') with ordinality x(n, o);

insert into site_storage
  select s.id, o - 1, n ->> 'id', n ->> 'name', n ->> 'media', (n ->> 'pricePerGibMonth')::numeric, n ->> 'currency',
    coalesce((n -> 'limits' ->> 'gib')::bigint, 0),
    coalesce((n -> 'limits' ->> 'operations')::double precision, 0),
    coalesce((n -> 'limits' ->> 'throughputMib')::double precision, 0)
  from site s, jsonb_array_elements(s.inventory -> 'storages') with ordinality x(n, o);

insert into site_size
  select s.id, o - 1, n ->> 'id', (n ->> 'cpus')::integer, (n ->> 'memoryMib')::bigint, (n ->> 'pricePerHour')::numeric, n ->> 'currency',
    coalesce(n -> 'limits' ->> 'family', ''),
    coalesce(n -> 'limits' ->> 'generation', ''),
    coalesce((n -> 'limits' ->> 'nics')::integer, 0),
    coalesce((n -> 'limits' ->> 'disks')::integer, 0),
    coalesce((n -> 'limits' ->> 'operations')::double precision, 0),
    coalesce((n -> 'limits' ->> 'throughputMib')::double precision, 0),
    coalesce((n -> 'limits' ->> 'networkMib')::double precision, 0),
    coalesce((select array_agg(z) from jsonb_array_elements_text(
      case when jsonb_typeof(n -> 'limits' -> 'zones') = 'array' then n -> 'limits' -> 'zones' else '[]' end) z), '{}')
  from site s, jsonb_array_elements(s.inventory -> 'sizes') with ordinality x(n, o);

insert into site_nic
  select s.id, n ->> 'network', n ->> 'address', bool_and(coalesce(m ->> 'owner', '') <> '')
  from site s, jsonb_array_elements(s.inventory -> 'machines') m, jsonb_array_elements(m -> 'nics') n
  where coalesce(n ->> 'address', '') <> ''
  group by 1, 2, 3;

alter table site drop column inventory;
