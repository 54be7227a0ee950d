create table admins (name text primary key, full_name text not null, role text not null, password text not null);
create table admin_sessions (token_hash text primary key, admin text not null references admins(name) on delete cascade, csrf text not null, expires_ms bigint not null);
create table tokens (hash text primary key, name text not null, scope text not null);
create table facts (name text primary key, value jsonb not null);

create table people (id text primary key, name text not null, accounts jsonb not null, groups jsonb not null, groups_at_source jsonb, enabled boolean not null, find text not null);
create table groups (id text primary key, name text, member_of jsonb not null);
create table pools (id text primary key, name text not null, binding text, keep text, seating text, mode text, grants jsonb not null);
create table hosts (id text primary key, pool text, zone text, image text, draining boolean not null default false, agent_version text, report jsonb, reported_ms bigint, sessions jsonb not null default '[]');
create table shares (id text primary key, path text not null, zone text, mount text, total_bytes bigint not null, free_bytes bigint not null, latency_ms double precision, updated_ms bigint not null);
create table containers (
  id text primary key, share text not null, file text not null, person text, format text not null, kind text not null, state text not null, virtual_bytes bigint not null, file_bytes bigint not null,
  allocated_bytes bigint not null, disk_bytes bigint not null, modified_ms bigint not null, last_used_ms bigint, holder_host text, holder_session text, held_since_ms bigint, holder_alive boolean, findings jsonb not null
);
create index containers_person on containers (person);

-- An attempt: fixed places for what lists and pictures ask; blame and usual per series (see core/logons/usual.ts) as arrays.
create table attempts (
  id text primary key, thread text not null, person text, account text, host text, pool text, session text, started_ms bigint not null, last_ms bigint not null, total_ms integer not null, outcome text not null,
  first boolean not null, network text not null, share text, zone text, image text, holder_host text, part text, blame_ms integer[] not null, usual_ms integer[], usual jsonb, lost_ms integer not null, slow_ms integer not null,
  cause text, confidence real, upload text
);
create index attempts_started on attempts (started_ms);
create index attempts_person on attempts (person, started_ms desc);
create index attempts_host on attempts (host, started_ms desc);
create index attempts_share on attempts (share, started_ms desc);
-- A source's own attempt id is the attempt's id; only threads of person and host need an index of their own.
create index attempts_thread on attempts (thread, started_ms) where thread not like 'id:%';
create index attempts_outcome on attempts (outcome, started_ms desc) where outcome <> 'ready';
create index attempts_lost on attempts (started_ms desc) include (cause) where lost_ms > 0;
create index attempts_upload on attempts (upload) where upload is not null;

-- Everything that was seen of an attempt: observations as JSON lines, deflated. Apart, so that lists stay lean.
-- No foreign keys: one writer keeps the three in step, and the checks cost a fifth of its time.
create table evidence (attempt text primary key, body bytea not null);
create table findings (attempt text primary key, diagnosis jsonb not null);

-- Roll-ups, kept in step by the writer of attempts. Sketches: core/stats/histogram.ts, packed.
create table usual_days (day_ms bigint not null, pool text not null, first boolean not null, network text not null, n integer not null, sketch bytea not null, primary key (day_ms, pool, first, network));
create table hours (hour_ms bigint not null, pool text not null, n integer not null, sketch bytea not null, primary key (hour_ms, pool));

create table uploads (id text primary key, name text not null, author text not null, state text not null, bytes bigint not null, bytes_read bigint not null, observations bigint not null, refused bigint not null, attempts bigint not null, started_ms bigint not null, ended_ms bigint, sentence text, faults jsonb not null);
create table policy_versions (version integer primary key, settings jsonb not null, published_ms bigint not null, author text not null);
create table jobs (id text primary key, kind text not null, title text not null, target text, state text not null, author text not null, started_ms bigint not null, ended_ms bigint, steps jsonb not null, attempt text);
create index jobs_started on jobs (started_ms desc);
create table journal (id bigint generated always as identity primary key, at_ms bigint not null, who text not null, what text not null, target text, before text, after text, job text);
