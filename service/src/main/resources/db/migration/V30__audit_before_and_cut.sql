-- What stood there before a change; entries older than an installation keeps them go from the front of the chain, and an
-- entry tells which and by what digest the chain goes on.
alter table audit add column before text not null default '';

create or replace function audit_stays() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' then
    if old.id <= coalesce(nullif(current_setting('bargelane.audit_cut', true), ''), '0')::bigint then
      return old;
    end if;
  end if;
  raise exception 'rows of audit are not changed and not deleted';
end $$;
