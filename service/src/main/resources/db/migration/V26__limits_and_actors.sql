-- Machines that an account's roles are limited to, as a filter; empty for all.
alter table account add column machines text not null default '';
-- Who did what an event tells of; empty for the service itself.
alter table event add column actor text not null default '';
