-- Where a secret may be sent. Those that are stored may go where they are sent today, and nowhere else.
alter table credential add column destinations jsonb not null default '[]';
update credential c set destinations = coalesce((
  select jsonb_agg(distinct d.entry) from (
    select regexp_replace(regexp_replace(t.address, '^https?://([^/]*).*$', '\1'), '^([^:]*|\[.*\])$',
        '\1:' || case when t.address like 'https:%' then '443' else '80' end) as entry
      from site t join site_credential x on x.site_id = t.id
      where x.credential_id = c.id and t.kind = 'standin'
    union
    select case when position(':' in v.address) > 0 then '[' || v.address || ']' else v.address end || ':' || v.port
      from server v join site_credential x on x.site_id = v.site_id
      where x.credential_id = c.id
  ) d), '[]');
