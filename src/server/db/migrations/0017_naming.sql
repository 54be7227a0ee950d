-- How a share names the folders of its people (core/containers/owner.ts); null means the usual.
alter table shares add column naming text;
