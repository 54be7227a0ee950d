-- The usual of a day by hours that are alike (core/logons/usual.ts, slotOf); what was kept before is of no certain hours.
alter table usual_days add column slot smallint not null default -1;
alter table usual_days drop constraint usual_days_pkey;
alter table usual_days add primary key (day_ms, pool, first, network, slot);
