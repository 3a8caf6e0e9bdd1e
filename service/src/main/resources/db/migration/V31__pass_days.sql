-- How old the newest recovery point of a leg was when the next one was recorded, and by how much that was over the RPO;
-- passes that are looked back at no more are kept as sums by day (UTC).
alter table pass add column exposure_ms bigint, add column over_rpo_ms bigint;

create table pass_day (
  tow_id text not null,
  day date not null,
  passes integer not null,
  failed integer not null,
  bytes_read bigint not null,
  bytes_sent bigint not null,
  work_ms bigint not null,
  exposure_ms bigint,
  over_rpo_ms bigint not null,
  primary key (tow_id, day)
);
