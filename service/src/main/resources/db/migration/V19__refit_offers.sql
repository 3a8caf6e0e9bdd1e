-- What a refit adds to a guest besides what it needs, by name.
alter table member add column refit_offers jsonb not null default '[]';
