-- What somebody asked to be approved, and the answer. A record stays when its wave is removed.
create table approval (
  id text primary key,
  tow_id text not null,
  wave text not null,
  verb text not null,
  scope jsonb not null,
  note text not null,
  asked_by text not null,
  asked_at timestamptz not null,
  outcome text not null default '',
  answered_by text,
  answered_at timestamptz,
  reason text not null default ''
);
create index approval_tow on approval (tow_id);
create unique index approval_open on approval (tow_id, verb) where outcome = '';
