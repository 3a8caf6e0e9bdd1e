-- What estate files were written from, or last imported as: what is changed in a file, or elsewhere, is found against it.
create table estate_base (
  id text primary key,
  entries jsonb not null,
  made_by text not null,
  made_at timestamptz not null,
  -- Counted up with each use: the highest was used last, whatever a clock says.
  used bigint not null
);
create index estate_base_used on estate_base (used);
