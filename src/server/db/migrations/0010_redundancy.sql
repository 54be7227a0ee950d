-- How a share survives the loss of a disk or a room, in the words of whoever runs it.
alter table shares add column redundancy text;
