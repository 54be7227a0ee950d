-- When people were connected: a row for each person, pool and day (UTC) on which stretches began, with all of them as JSON, see server/policies/stretches.ts. One row for each stretch was a third of what a history cost the database.
create table connected (person text not null, pool text not null, day_ms bigint not null, stretches text not null, primary key (person, pool, day_ms));
create index connected_day on connected (day_ms);
insert into connected select person, pool, on_ms - on_ms % 86400000, json_agg(json_build_array(session, host, on_ms, off_ms, ended, network, client_kind, client_version, address, rtt_ms, kbps) order by on_ms, session)::text from stretches group by 1, 2, 3;
drop table stretches;
