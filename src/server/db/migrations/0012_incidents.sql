-- Where else an attempt was, what its neighbours need to know of it, and whether it says what is usual.
alter table attempts add column site text, add column transport text, add column client_kind text, add column client_version text, add column factor text, add column package text,
  add column beyond integer not null default 0, add column fault text not null default '', add column counted boolean not null default false;
update attempts set counted = true where outcome in ('ready', 'slow');
alter table hosts add column site text;
-- Incidents are worked out from the ledger in the writer's thread (server/logons/incident-desk.ts); pictures hold what is drawn only.
alter table pictures drop column affected;
-- What was altered, when and where, by whom: looked at when something began. Written by Ikebana itself, by other programs, and by hand.
create table changes (id text primary key, at_ms bigint not null, kind text not null, scope jsonb not null, sentence text not null, who text not null, told_ms bigint not null);
create index changes_at on changes (at_ms desc);
-- An administrator's own rules for events (docs/formats/event-map.md), and accounts by SID that evidence named.
create table event_maps (name text primary key, yaml text not null, rules integer not null, author text not null, at_ms bigint not null);
create table known_sids (sid text primary key, account text not null);
-- Time in each phase of an hour, in the order of SERIES, added up over those that got in.
alter table hours add column sums bigint[];
