-- Disks that a machine was seen to have when its last pass began, and that no pass of its tow copies.
alter table member add column uncopied jsonb not null default '[]';
