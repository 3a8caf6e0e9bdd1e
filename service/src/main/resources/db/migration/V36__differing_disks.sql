-- Disks by which a machine was seen to differ from what its tow copies when its last pass began.
alter table member add column differing jsonb not null default '[]';
