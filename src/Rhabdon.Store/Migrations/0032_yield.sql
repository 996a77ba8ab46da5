-- Whether views of yield name people is the company's own choice; they do not until it says so.
alter table company add column names_people boolean not null default false;

create index fact_attempt_yield on fact_attempt (company_id, version, coalesce(accepted_at, given_up_at))
    include (method, construction, form, polish, mode, crew_id, person_id, job_id, first_pass, rework_minutes, parts_lost) where outcome <> 'open';
