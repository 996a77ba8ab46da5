-- Whether an end is nearly out of slack is worked out when its slack, or what is planned of it, changes; the list of them reads an index.
alter table cable_end add column nearly_out boolean not null default false;
create index cable_end_nearly_out on cable_end (company_id, job_id, place_id, port, position) where nearly_out;
-- What is accepted is listed in the order of its places, as what is open is.
create index end_state_accepted on end_state (company_id, job_id, place_id, port, position) where status = 'Accepted';
