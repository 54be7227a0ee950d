-- Where something set aside is kept (null: on its own share), and without a day of deletion where it is archived.
alter table set_aside add column kept_share text;
alter table set_aside alter column until_ms drop not null;
-- Containers on their way from share to share: what a stop in the middle must bring to an end.
create table moves (id text primary key, kind text not null, container text not null, from_share text not null, from_file text not null, to_share text not null, to_file text not null, keep_days integer not null, author text not null, at_ms bigint not null, state text not null);
create index moves_open on moves (state) where state <> 'done';
-- Moves that wait for their night.
create table waves (id text primary key, title text not null, author text not null, from_ms bigint not null, until_ms bigint not null, moves jsonb not null, keep_days integer not null, state text not null, job text, note text);
-- What a share bears; and shares that were added by hand, which no fleet tells of.
alter table shares add column bears_iops integer;
alter table shares add column added_by text;
