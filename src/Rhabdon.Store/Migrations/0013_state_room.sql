-- The state of an end is written with each event of it: room on its page, and a compression that costs little.
alter table end_state set (fillfactor = 60);
alter table end_state alter column state set compression lz4;
