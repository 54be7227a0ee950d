-- The whole set of policies of a version (docs/formats/policies.md); null: only a base policy, in settings. And why it was published.
alter table policy_versions add column body jsonb;
alter table policy_versions add column note text;
-- The one draft that an organisation works on.
create table policy_draft (id integer primary key check (id = 1), body jsonb not null, based_on integer not null, author text not null, updated_ms bigint not null, review text);
-- How a version reaches hosts and people: in waves. Without a row it reached everybody at once.
create table rollouts (version integer primary key, previous integer not null, author text not null, state text not null, waves jsonb not null, reached integer not null, pause_ms bigint not null, next_ms bigint, started_ms bigint not null, ended_ms bigint);
-- When people were connected: a row for each stretch of a session, as agents tell. Pauses between two stretches of a session are its disconnected time.
create table stretches (session text not null, person text not null, pool text not null, host text not null, on_ms bigint not null, off_ms bigint, ended text, network text, client_kind text, client_version text, address text, rtt_ms real, kbps real, primary key (session, on_ms));
create index stretches_person on stretches (person, pool, on_ms);
create index stretches_on on stretches (on_ms);
-- Whom a desktop is assigned to, and who is its administrator, as its host reports.
alter table hosts add column assigned text;
alter table hosts add column admins jsonb not null default '[]';
-- Time limits that were proven with a test session.
create table limit_proofs (id text primary key, pool text not null, person text not null, author text not null, at_ms bigint not null, limit_ms bigint, took_ms bigint, ok boolean, sentence text);
