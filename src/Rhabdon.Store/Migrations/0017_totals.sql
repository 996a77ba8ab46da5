-- The tools that a run was made with, beside its lots.
alter table fact_attempt add column tool_ids uuid[] not null default '{}';

-- How each job stands, counted with each change of an end, so that a list of jobs costs what it shows.
create table job_total (
    company_id uuid not null,
    job_id uuid not null,
    ends bigint not null default 0,
    accepted bigint not null default 0,
    needs_decision bigint not null default 0,
    to_remake bigint not null default 0,
    at_bench bigint not null default 0,
    primary key (company_id, job_id));

create function job_total_of_states() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        perform job_total_add(array(select (company_id, job_id, 0, status, 1)::job_step from new_rows));
    elsif tg_op = 'UPDATE' then
        perform job_total_add(array(
            select (n.company_id, n.job_id, 0, n.status, 1)::job_step from new_rows n join old_rows o on o.company_id = n.company_id and o.end_id = n.end_id where n.status <> o.status or n.job_id <> o.job_id
            union all
            select (o.company_id, o.job_id, 0, o.status, -1)::job_step from new_rows n join old_rows o on o.company_id = n.company_id and o.end_id = n.end_id where n.status <> o.status or n.job_id <> o.job_id));
    else
        perform job_total_add(array(select (company_id, job_id, 0, status, -1)::job_step from old_rows));
    end if;
    return null;
end $$;

create type job_step as (company_id uuid, job_id uuid, ends int, status text, n int);

-- Rows are taken in one order, so that two writers never wait for each other.
create function job_total_add(steps job_step[]) returns void language sql as $$
    insert into job_total as t (company_id, job_id, ends, accepted, needs_decision, to_remake, at_bench)
    select company_id, job_id, sum(ends),
           coalesce(sum(n) filter (where status = 'Accepted'), 0), coalesce(sum(n) filter (where status = 'NeedsDecision'), 0),
           coalesce(sum(n) filter (where status = 'ToRemake'), 0), coalesce(sum(n) filter (where status = 'AtBench'), 0)
    from unnest(steps) group by company_id, job_id order by company_id, job_id
    on conflict (company_id, job_id) do update set
        ends = t.ends + excluded.ends, accepted = t.accepted + excluded.accepted, needs_decision = t.needs_decision + excluded.needs_decision,
        to_remake = t.to_remake + excluded.to_remake, at_bench = t.at_bench + excluded.at_bench
$$;

create function job_total_of_ends() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' then
        perform job_total_add(array(select (company_id, job_id, 1, null, 0)::job_step from new_rows));
    else
        perform job_total_add(array(select (company_id, job_id, -1, null, 0)::job_step from old_rows));
    end if;
    return null;
end $$;

create trigger job_total_insert after insert on end_state referencing new table as new_rows for each statement execute function job_total_of_states();
create trigger job_total_update after update on end_state referencing new table as new_rows old table as old_rows for each statement execute function job_total_of_states();
create trigger job_total_delete after delete on end_state referencing old table as old_rows for each statement execute function job_total_of_states();
create trigger job_total_insert after insert on cable_end referencing new table as new_rows for each statement execute function job_total_of_ends();
create trigger job_total_delete after delete on cable_end referencing old table as old_rows for each statement execute function job_total_of_ends();

-- What there is already is counted here, once and as a whole.
insert into job_total (company_id, job_id, ends, accepted, needs_decision, to_remake, at_bench)
select e.company_id, e.job_id, count(*), count(*) filter (where s.status = 'Accepted'), count(*) filter (where s.status = 'NeedsDecision'), count(*) filter (where s.status = 'ToRemake'), count(*) filter (where s.status = 'AtBench')
from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id group by e.company_id, e.job_id;
insert into projection (name, version, built_at) values ('job-totals', 1, now());
