-- What should be looked at in a container (core/containers/upkeep.ts), worked out at every scan; and where the parent of a differencing disk should be.
alter table containers add column upkeep jsonb not null default '[]';
alter table containers add column parent text;
create index containers_upkeep on containers using gin (upkeep jsonb_path_ops);
-- Containers taken out of use, kept for some days in a folder of their share, so that they can be put back.
create table set_aside (id text primary key, share text not null, file text not null, kept_as text not null, person text, bytes bigint not null, author text not null, at_ms bigint not null, until_ms bigint not null, state text not null);
