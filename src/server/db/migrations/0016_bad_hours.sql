-- Of those that got in within an hour, how many lost time.
alter table hours add column bad integer not null default 0;
update hours h set bad = c.n from (select started_ms / 3600000 * 3600000 as hour, count(*)::int as n from attempts where lost_ms > 0 and outcome in ('ready', 'slow') group by 1) c where c.hour = h.hour_ms;
