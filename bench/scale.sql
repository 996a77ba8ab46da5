-- Grows the demo's company to some 460,000 planned ends: copies of its jobs, of which one in twenty is still open. Run by ./rhabdon bench scale.
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
set session_replication_role = origin;
analyze;
