-- One ledger for all that happens: to an end, and what happens once to a batch, a job, a crew, a tool, a lot or an instrument.
alter table ledger rename column end_id to stream_id;
alter table ledger add column stream text not null default 'End';
alter index ledger_end rename to ledger_stream;
alter table judgement rename column end_id to stream_id;
alter table quarantine rename column end_id to stream_id;

-- What each of the other streams has come to.
create table stream_state (
    company_id uuid not null references company,
    stream text not null,
    stream_id uuid not null,
    -- Whose it is; null where it is the whole company's.
    crew_id uuid,
    job_id uuid,
    -- What is to be shown among those at hand: a tool in use, a container whose shards are off.
    is_open boolean not null,
    -- The last thing heard of it, in the order in which things happened.
    last_at timestamptz not null,
    state jsonb not null,
    primary key (company_id, stream, stream_id));
create index stream_state_open on stream_state (company_id, stream, crew_id) where is_open;
create index stream_state_job on stream_state (company_id, job_id) where job_id is not null;

-- Which ends a batch was made of.
create table batch_end (
    company_id uuid not null,
    batch_id uuid not null,
    end_id uuid not null,
    primary key (company_id, batch_id, end_id),
    foreign key (company_id, end_id) references cable_end (company_id, end_id) on delete cascade);
insert into batch_end (company_id, batch_id, end_id)
select distinct s.company_id, (a.attempt ->> 'batchId')::uuid, s.end_id
from end_state s, jsonb_array_elements(s.state -> 'attempts') as a (attempt)
where s.company_id is not null and a.attempt ->> 'batchId' is not null;

-- By how many shards a container is off is the batch's to say.
drop index end_state_shards_off;
alter table end_state drop column shards_off;
