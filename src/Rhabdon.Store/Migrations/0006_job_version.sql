-- Which state of a job somebody saw: a change made on an older one is given both to choose from.
alter table job add column version int not null default 1;
