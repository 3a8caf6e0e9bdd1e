-- Whether guests that can are asked to hold still for the instant of a snapshot.
alter table timetable add column quiesce boolean not null default true;
