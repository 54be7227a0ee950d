-- The band on Today is that of all pools together: one row an hour. Earlier hours have none until their evidence is read again.
drop table hours;
create table hours (hour_ms bigint primary key, n integer not null, sketch bytea not null);
-- Each part of a picture apart, as text: a long window reads only the few dots.
drop table pictures;
create table pictures (hour_ms bigint primary key, counts text not null, dots text not null, few_dots text not null, affected text not null);
