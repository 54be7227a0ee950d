-- Event logs that speak of persons whom nothing named yet are kept, also over a stop: by how many of their events wait for a name.
alter table uploads add column unnamed bigint not null default 0;
