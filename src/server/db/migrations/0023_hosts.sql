-- A host is named with its domain by some sources and without by others: looked up by the name without (core/people/host.ts, hostKey).
create function host_key(host text) returns text language sql immutable as $$ select case when host ~ '^[0-9.]+$' then host else split_part(lower(host), '.', 1) end $$;
drop index attempts_host;
create index attempts_host on attempts (host_key(host), started_ms desc);
update attempts set thread = 'hs:' || host_key(split_part(substr(thread, 4), '|', 1)) || substr(thread, position('|' in thread)) where thread like 'hs:%.%|%';
