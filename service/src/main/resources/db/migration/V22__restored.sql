-- Set while the records of a tow come from a backup of then, and where its machines run was not looked at since.
alter table tow add column unchecked_since timestamptz;
