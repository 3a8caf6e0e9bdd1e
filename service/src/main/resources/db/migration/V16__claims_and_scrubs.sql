-- Who removes a thing at its site at this moment, and until when nobody else does.
alter table site_object add column removing_by text not null default '';
alter table site_object add column removing_until timestamptz;
-- A scrub reads at the target what a point holds; it gives way to all other passes.
alter table pass add column idle boolean not null default false;
-- When a leg's copies were scrubbed last, and what was found that is not mended yet; empty for nothing.
alter table leg add column scrubbed_at timestamptz;
alter table leg add column scrub_found text not null default '';
