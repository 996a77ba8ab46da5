-- Each filter of the lists finds its ends in the lists' own order, so that a rare one costs no more than a common one.
create index cable_end_form on cable_end (company_id, form, job_id, place_id, port, position);
create index cable_end_polish on cable_end (company_id, polish, job_id, place_id, port, position);
create index cable_end_method on cable_end (company_id, method, job_id, place_id, port, position);
create index cable_end_person on cable_end (company_id, person_id, job_id, place_id, port, position) where person_id is not null;
create index end_state_verdict on end_state (company_id, verdict, job_id, place_id, port, position) where verdict <> 'None';
