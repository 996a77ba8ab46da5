-- Ends that one crew plans and another works: what a lead sees besides the own crew's, found without looking through everybody's.
alter table cable_end add column given_by uuid;
comment on column cable_end.given_by is 'The crew that plans the job, where another works this end; else null. Kept by triggers.';

create function given_away() returns trigger language plpgsql as $$
begin
    select nullif(j.crew_id, new.crew_id) into new.given_by from job j where j.company_id = new.company_id and j.job_id = new.job_id;
    return new;
end $$;
create trigger end_given_away before insert or update of crew_id, job_id on cable_end for each row execute function given_away();

create function given_away_with_job() returns trigger language plpgsql as $$
begin
    update cable_end e set given_by = nullif(new.crew_id, e.crew_id) where e.company_id = new.company_id and e.job_id = new.job_id and e.given_by is distinct from nullif(new.crew_id, e.crew_id);
    return null;
end $$;
create trigger job_given_away after update of crew_id on job for each row when (old.crew_id is distinct from new.crew_id) execute function given_away_with_job();

update cable_end e set given_by = j.crew_id from job j where j.company_id = e.company_id and j.job_id = e.job_id and j.crew_id <> e.crew_id;

create index cable_end_given on cable_end (company_id, given_by, job_id, place_id, port, position) where given_by is not null;
create index cable_end_given_form on cable_end (company_id, given_by, form, job_id, place_id, port, position) where given_by is not null;
create index cable_end_given_polish on cable_end (company_id, given_by, polish, job_id, place_id, port, position) where given_by is not null;
create index cable_end_given_method on cable_end (company_id, given_by, method, job_id, place_id, port, position) where given_by is not null;
