-- The key that the target encrypts a replica's volumes with; empty for the target's own way.
alter table replica add column disk_key text not null default '';
