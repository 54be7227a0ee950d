-- Hours that are over, as Today draws them (server/logons/pictures.ts). A row goes when an attempt of its hour changes, and is made again at leisure.
create table pictures (hour_ms bigint primary key, body jsonb not null);
-- Since when a cause has been at work.
create index attempts_cause on attempts (cause, started_ms desc) where lost_ms > 0;
