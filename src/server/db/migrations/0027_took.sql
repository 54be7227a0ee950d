-- What each phase took by itself, waited for or not (see core/logons/usual.ts); null where that is what it is blamed for, as of most, whose phases came one after another. What is usual is counted by it from now on.
alter table attempts add column took_ms integer[];
