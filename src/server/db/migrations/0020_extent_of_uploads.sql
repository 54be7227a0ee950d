-- When the logons of an evidence file took place, so that they can be looked at as a window of their own.
alter table uploads add column first_ms bigint;
alter table uploads add column last_ms bigint;
update uploads set first_ms = s.first_ms, last_ms = s.last_ms from (select upload, min(started_ms) as first_ms, max(started_ms) as last_ms from attempts where upload is not null group by upload) s where s.upload = uploads.id;
