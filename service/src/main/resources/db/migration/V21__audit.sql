-- What was asked to be changed, by whom, and what was refused. Each row's digest is over its fields and the digest
-- before it, so that one that is changed or taken out later is found.
create table audit (
  id bigint primary key,
  at timestamptz not null,
  account text not null,
  token text not null,
  address text not null,
  method text not null,
  path text not null,
  asked text not null,
  status integer not null,
  code text not null,
  entry bigint,
  digest text not null
);
create index audit_account on audit (account, id);

create function audit_stays() returns trigger language plpgsql as $$
begin
  raise exception 'rows of audit are not changed and not deleted';
end $$;
create trigger audit_stays before update or delete on audit for each row execute function audit_stays();
create trigger audit_not_emptied before truncate on audit for each statement execute function audit_stays();
