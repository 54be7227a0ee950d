-- Evidence files that told more of logons of which other evidence had told before. The file that told of a logon first stands with it (attempts.upload).
create table joined (upload text not null, attempt text not null, primary key (upload, attempt));
create index joined_attempt on joined (attempt);
alter table uploads add column joined bigint not null default 0;
