-- How large each container was, a day at a time: who drives the growth of a share. A day on which nothing changed has no row.
create table container_days (id text not null, day_ms bigint not null, file_bytes bigint not null, primary key (id, day_ms));
