-- When a host was built, as it reports, and whether what is due then was done.
alter table hosts add column built_ms bigint, add column build_tended boolean not null default false;
