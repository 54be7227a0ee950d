-- Who was let in when, and which program uses which token.
alter table admins add column made_ms bigint, add column seen_ms bigint;
alter table tokens add column id text, add column made_ms bigint, add column made_by text, add column used_ms bigint;
update tokens set id = left(hash, 12);
alter table tokens alter column id set not null;
create unique index tokens_id on tokens (id);
