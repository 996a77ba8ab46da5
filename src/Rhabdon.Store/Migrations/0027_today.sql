-- How each job stands, in numbers that add up to its ends: what is to look at, to measure and to accept, too.
alter table job_total
    add column to_look bigint not null default 0,
    add column to_measure bigint not null default 0,
    add column to_accept bigint not null default 0;

create or replace function job_total_add(steps job_step[]) returns void language sql as $$
    insert into job_total as t (company_id, job_id, ends, accepted, needs_decision, to_remake, at_bench, to_look, to_measure, to_accept)
    select company_id, job_id, sum(ends),
           coalesce(sum(n) filter (where status = 'Accepted'), 0), coalesce(sum(n) filter (where status = 'NeedsDecision'), 0),
           coalesce(sum(n) filter (where status = 'ToRemake'), 0), coalesce(sum(n) filter (where status = 'AtBench'), 0),
           coalesce(sum(n) filter (where status = 'ToLook'), 0), coalesce(sum(n) filter (where status = 'ToMeasure'), 0), coalesce(sum(n) filter (where status = 'ToAccept'), 0)
    from unnest(steps) group by company_id, job_id order by company_id, job_id
    on conflict (company_id, job_id) do update set
        ends = t.ends + excluded.ends, accepted = t.accepted + excluded.accepted, needs_decision = t.needs_decision + excluded.needs_decision,
        to_remake = t.to_remake + excluded.to_remake, at_bench = t.at_bench + excluded.at_bench,
        to_look = t.to_look + excluded.to_look, to_measure = t.to_measure + excluded.to_measure, to_accept = t.to_accept + excluded.to_accept
$$;

update job_total t set to_look = s.to_look, to_measure = s.to_measure, to_accept = s.to_accept
from (select company_id, job_id, count(*) filter (where status = 'ToLook') as to_look, count(*) filter (where status = 'ToMeasure') as to_measure, count(*) filter (where status = 'ToAccept') as to_accept
      from end_state where status in ('ToLook', 'ToMeasure', 'ToAccept') group by company_id, job_id) s
where t.company_id = s.company_id and t.job_id = s.job_id;
update projection set version = 2 where name = 'job-totals' and version = 1;

-- How many a job came to accept each day of late.
create index fact_attempt_accepted on fact_attempt (company_id, version, job_id, accepted_at) where accepted_at is not null;
