-- Grows the demo's company to some 460,000 planned ends with 10,000,000 events: copies of its jobs, of which one in twenty is still open, with their
-- ledger, judgements and facts. Bodies and states are the demo's own, so the ids within them are, too. Run by ./rhabdon bench scale.
\set n 3200
create function copied(id uuid, n int) returns uuid language sql immutable parallel safe as $$ select md5(id::text || n)::uuid $$;
set session_replication_role = replica; -- foreign keys hold by construction
insert into job (company_id, job_id, customer, site, time_zone, due_on, limit_set_id, crew_id, created_at, is_open)
select company_id, copied(job_id, n), customer || ' ' || n, site, time_zone, due_on - (n % 1500), limit_set_id, crew_id, created_at, n <= :n / 20 from job, generate_series(1, :n) n;
insert into space (company_id, space_id, job_id, code, name) select company_id, copied(space_id, n), copied(job_id, n), code, name from space, generate_series(1, :n) n;
insert into panel (company_id, panel_id, job_id, space_id, code, ports, adapter_form, angled) select company_id, copied(panel_id, n), copied(job_id, n), copied(space_id, n), code, ports, adapter_form, angled from panel, generate_series(1, :n) n;
insert into cable (company_id, cable_id, job_id, code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm)
select company_id, copied(cable_id, n), copied(job_id, n), code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm from cable, generate_series(1, :n) n;
insert into cable_end (company_id, end_id, job_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version, crew_id, nearly_out)
select company_id, copied(end_id, n), copied(job_id, n), copied(cable_id, n), strand, side, copied(panel_id, n), port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version, crew_id, nearly_out
from cable_end, generate_series(1, :n) n;
insert into end_state (company_id, end_id, job_id, place_id, port, position, status, verdict, phase, attempts, loops, slack_used_mm, last_at, state, batch_id)
select company_id, copied(end_id, n), copied(job_id, n), copied(place_id, n), port, position, case when n <= :n / 20 then status else 'Accepted' end, case when n <= :n / 20 then verdict else 'Pass' end,
       phase, attempts, loops, slack_used_mm, last_at, state, batch_id
from end_state, generate_series(1, :n) n;
insert into assigned (company_id, end_id, since, crew_id, person_id) select a.company_id, copied(a.end_id, n), a.since, a.crew_id, a.person_id from assigned a, generate_series(1, :n) n;
\if :events
-- How often each event is copied with its end, so that there are 10,000,000.
select greatest(1, ceil(10000000.0 / (:n * count(*))))::int as times from ledger where stream = 'End' \gset
create temporary table told as select l.*, row_number() over (order by seq) as no from ledger l where stream = 'End';
insert into ledger (company_id, event_id, stream, stream_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at, clock_behind_ms)
select company_id, md5(event_id::text || n || '/' || k)::uuid, stream, copied(stream_id, n), attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at, clock_behind_ms
from generate_series(1, :n) n, generate_series(1, :times) k, told order by n, k, no;
insert into judgement (company_id, stream_id, event_id, restart, judged, made_at)
select company_id, copied(stream_id, n), md5(event_id::text || n || '/' || k)::uuid, restart, judged, made_at
from generate_series(1, :n) n, generate_series(1, :times) k, (select j.* from judgement j join told using (company_id, event_id)) j order by n, k, seq;
\endif
insert into job_total (company_id, job_id, ends, accepted, needs_decision, to_remake, at_bench)
select e.company_id, e.job_id, count(*), count(*) filter (where s.status = 'Accepted'), count(*) filter (where s.status = 'NeedsDecision'), count(*) filter (where s.status = 'ToRemake'), count(*) filter (where s.status = 'AtBench')
from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id group by e.company_id, e.job_id
on conflict (company_id, job_id) do nothing;
set session_replication_role = origin;
-- What yield counts, over a year of days and with a lot for each tenth job.
insert into fact_attempt (company_id, version, end_id, run_id, attempt, job_id, space_id, place_id, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, schools, lots, tool_ids, batch_id,
    started_at, finished_at, accepted_at, given_up_at, outcome, first_pass, reason, cause_confirmed, loops, rework_minutes, slack_mm, parts_lost, shards, cleaves, arcs, acts, acts_together, timers_short)
select company_id, version, copied(end_id, n), copied(run_id, n), attempt, copied(job_id, n), copied(space_id, n), copied(place_id, n), crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, schools,
    array(select l || '-' || n / 10 from unnest(lots) l), tool_ids, copied(batch_id, n), started_at - ago, finished_at - ago, accepted_at - ago, given_up_at - ago, outcome, first_pass, reason, cause_confirmed, loops, rework_minutes, slack_mm, parts_lost, shards, cleaves, arcs, acts,
    acts_together, timers_short
from fact_attempt, (select n, (n % 360) * interval '1 day' as ago from generate_series(1, :n) n) n;
insert into fact_reading (company_id, version, end_id, run_id, attempt, job_id, space_id, place_id, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, event_id, kind, at, wavelength_nm, loss_db, limit_db, reflectance_db, verdict, direction, instrument_id)
select company_id, version, copied(end_id, n), copied(run_id, n), attempt, copied(job_id, n), copied(space_id, n), copied(place_id, n), crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version, copied(event_id, n), kind,
    at - ago, wavelength_nm, loss_db, limit_db, reflectance_db, verdict, direction, instrument_id
from fact_reading, (select n, (n % 360) * interval '1 day' as ago from generate_series(1, :n) n) n;
vacuum analyze;
