-- Volumes of a site that a storage system fills, as the last scan told of them; none where it told of none.
alter table site add column carried jsonb;
