-- Nodes of the service, as each shows itself every few seconds; one that was stopped in order is not there.
create table node (
  name text primary key,
  version text not null,
  host text not null,
  address text not null,
  started_at timestamptz not null,
  heard_at timestamptz not null,
  clock_apart_ms bigint not null
);
