-- Which version of the fold wrote what is kept folded. A start compares one number instead of reading every state.
create table projection (
    name text primary key,
    version int not null,
    built_at timestamptz not null);

-- Ends that a rebuild could not read: their events stay in the ledger, what comes meanwhile waits in quarantine.
create table end_set_aside (
    company_id uuid not null,
    end_id uuid not null,
    reason text not null,
    since timestamptz not null,
    primary key (company_id, end_id),
    foreign key (company_id, end_id) references cable_end);

-- What is open, whatever the company's age: with the order of its lists, so that a first page needs no sorting.
alter table end_state add column panel_id uuid, add column port int, add column position int;
update end_state s set panel_id = e.panel_id, port = e.port, position = e.position
from cable_end e where s.company_id is not null and e.company_id = s.company_id and e.end_id = s.end_id;
alter table end_state alter column panel_id set not null, alter column port set not null, alter column position set not null;
create index end_state_open on end_state (company_id, status, job_id, panel_id, port, position) where status <> 'Accepted';

-- A job is open until every planned end of it is accepted.
alter table job add column is_open boolean not null default true;
update job j set is_open = false
where j.company_id is not null
  and exists (select 1 from cable_end e where e.company_id = j.company_id and e.job_id = j.job_id)
  and not exists (
      select 1 from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
      where e.company_id = j.company_id and e.job_id = j.job_id and s.status is distinct from 'Accepted');
create index job_newest on job (company_id, is_open, due_on, job_id);
create index job_next on job (company_id, due_on, job_id) where is_open;

-- A sign-in that can be ended at the server: a copy of its cookie is then worth nothing.
create table sign_in (
    company_id uuid not null,
    sign_in_id uuid not null,
    person_id uuid not null,
    made_at timestamptz not null,
    seen_at timestamptz not null,
    primary key (company_id, sign_in_id),
    foreign key (company_id, person_id) references person);
create index sign_in_person on sign_in (company_id, person_id, seen_at);
