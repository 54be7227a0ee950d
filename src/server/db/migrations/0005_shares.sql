-- Who a SID is; the group that a share is for; how full it was, an hour at a time.
alter table people add column sid text;
alter table groups add column sid text;
alter table shares add column for_group text;
create table share_samples (share text not null, hour_ms bigint not null, used_bytes bigint not null, latency_ms double precision, primary key (share, hour_ms));
