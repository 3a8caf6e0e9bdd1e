-- The agent in whose place this one would be: it waits until somebody says that it may; empty for none.
alter table agent add column waits_for text not null default '';
