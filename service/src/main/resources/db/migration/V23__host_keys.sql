-- The host key that a server showed last, for somebody to approve; nothing is offered to it before.
alter table server add column shown_key text not null default '';
