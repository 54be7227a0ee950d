-- Local profiles that agents found on their host.
alter table hosts add column leftovers jsonb not null default '[]';
