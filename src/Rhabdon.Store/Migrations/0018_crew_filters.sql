-- What a crew works, by each filter, in the lists' own order: another crew's ends are not looked through for them.
drop index cable_end_crew;
create index cable_end_crew on cable_end (company_id, crew_id, job_id, place_id, port, position);
create index cable_end_crew_form on cable_end (company_id, crew_id, form, job_id, place_id, port, position);
create index cable_end_crew_polish on cable_end (company_id, crew_id, polish, job_id, place_id, port, position);
create index cable_end_crew_method on cable_end (company_id, crew_id, method, job_id, place_id, port, position);
