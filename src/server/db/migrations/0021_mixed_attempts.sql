-- Attempts with an id that hold what came without one: what comes of the same person may belong to them.
alter table attempts add column mixed boolean not null default false;
create index attempts_mixed on attempts (person, started_ms) where mixed;
