-- What views of yield count, rolled up by day and by all that they ask for. The database keeps it with each change of a fact, whoever makes it, in
-- the same transaction, so that no view can be of another moment than the facts.

-- What connectors were made with and by which schools: a few sets of them for very many days.
create table yield_set (
    company_id uuid not null,
    -- Of the three lists.
    set_id uuid not null,
    schools text[] not null,
    lots text[] not null,
    tool_ids uuid[] not null,
    primary key (company_id, set_id));

create table yield_day (
    company_id uuid not null,
    version int not null,
    day date not null,
    -- Of all columns from job_id to reason.
    dims uuid not null,
    -- Each connector is counted twice: in its job and space, and, where the job is null, in all of them together. A year has few of those lines.
    job_id uuid,
    space_id uuid,
    crew_id uuid not null,
    person_id uuid not null,
    method text not null,
    form text not null,
    polish text not null,
    mode text not null,
    construction text not null,
    procedure_id text not null,
    procedure_version int not null,
    set_id uuid not null,
    reason text,
    made bigint not null,
    passed bigint not null,
    accepted bigint not null,
    rework_minutes double precision not null,
    parts_lost bigint not null,
    primary key (company_id, version, day, dims));
create index yield_day_all on yield_day (company_id, version, day) where job_id is null;
create index yield_day_job on yield_day (company_id, version, job_id, day) where job_id is not null;

create function yield_day_count() returns trigger language plpgsql as $$
declare
    sign int := case tg_op when 'INSERT' then 1 else -1 end;
begin
    insert into yield_set select distinct company_id, md5(row (schools, lots, tool_ids)::text)::uuid, schools, lots, tool_ids from changed where outcome <> 'open' order by 1, 2
    on conflict (company_id, set_id) do nothing;
    insert into yield_day as y
    select company_id, version, day, md5(row (job_id, space_id, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, set_id, reason)::text)::uuid as dims,
           job_id, space_id, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, set_id, reason, sign * made, sign * passed, sign * accepted, sign * rework_minutes, sign * parts_lost
    from (select company_id, version, day, job_id, space_id, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, set_id, reason,
                 count(*) as made, count(*) filter (where first_pass) as passed, count(*) filter (where outcome = 'accepted') as accepted, sum(rework_minutes) as rework_minutes, sum(parts_lost) as parts_lost
          from (select *, (coalesce(accepted_at, given_up_at) at time zone 'UTC')::date as day, md5(row (schools, lots, tool_ids)::text)::uuid as set_id from changed) c
          where outcome <> 'open' and day is not null
          group by company_id, version, day, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, set_id, reason, grouping sets ((job_id, space_id), ())) f
    order by company_id, version, day, dims
    on conflict (company_id, version, day, dims) do update set made = y.made + excluded.made, passed = y.passed + excluded.passed, accepted = y.accepted + excluded.accepted,
        rework_minutes = case when y.made + excluded.made = 0 then 0 else y.rework_minutes + excluded.rework_minutes end, parts_lost = y.parts_lost + excluded.parts_lost;
    return null;
end $$;
create trigger yield_day_added after insert on fact_attempt referencing new table as changed for each statement execute function yield_day_count();
create trigger yield_day_taken after delete on fact_attempt referencing old table as changed for each statement execute function yield_day_count();

-- What was counted before: made anew where it stands, so that the rule above is the only one.
create table fact_attempt_before as table fact_attempt;
truncate fact_attempt;
insert into fact_attempt select * from fact_attempt_before;
drop table fact_attempt_before;

-- The connectors behind a group, those that went back first.
drop index fact_attempt_yield;
create index fact_attempt_behind on fact_attempt (company_id, version, first_pass, coalesce(accepted_at, given_up_at) desc, end_id) where outcome <> 'open';
-- What a trace or a meter has shown, the last of it.
create index fact_reading_lately on fact_reading (company_id, version, at desc) include (method, construction, crew_id, person_id, job_id, kind, wavelength_nm, loss_db);
