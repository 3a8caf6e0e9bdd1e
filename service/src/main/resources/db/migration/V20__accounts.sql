-- What each account may do: words of its roles, and a filter of the machines that it is limited to.
alter table account add column roles text not null default 'reader planner mover approver keeper';
alter table account alter column roles drop default;

-- Sessions and tokens have a name to be listed and revoked by; a token may have fewer roles than its account.
alter table token add column id text;
update token set id = 'tok-' || substr(hash, 1, 10);
alter table token alter column id set not null;
create unique index token_id on token (id);
alter table token add column name text not null default '';
alter table token add column roles text not null default '';
alter table token add column tug text;
alter table token add column created_at timestamptz;
alter table token add column used_at timestamptz;
alter table token add column used_from text;
-- Until now the only tokens were those that the launcher keeps in its home.
update token set kind = 'home', name = 'launcher' where kind = 'token';
create index token_account on token (account_id);

-- Wrong passwords: how many in a row, and until when the next try waits.
create table sign_in_wait (
  what text primary key,
  failures integer not null,
  tried_at timestamptz not null,
  until timestamptz not null
);

-- The same key with another body is another request.
alter table answered add column body_digest text not null default '';
