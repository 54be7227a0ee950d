-- Logons whose source used its id again are called by the id and when they began: they are found by the thread of their id.
create index attempts_again on attempts (thread, started_ms) where thread like 'id:%' and id <> substr(thread, 4);
