-- How it is seen that a machine that was started does its work; null for what is usual.
alter table member add column probe jsonb;
