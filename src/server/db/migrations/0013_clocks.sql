-- The clocks that were off in an attempt: its times are put right by them. And those that are off now.
alter table attempts add column clocks jsonb;
create table clocks (machine text primary key, offset_ms bigint not null, uncertainty_ms bigint not null, n integer not null, typical_ms bigint, since_ms bigint not null, seen_ms bigint not null);
