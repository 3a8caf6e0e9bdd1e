-- Whose certificate a pass's disks are opened for: the fingerprint that its tug told; empty for any.
alter table pass add column reader text not null default '';
