-- What the rules made of each event when they were asked: folded without asking again. The last line of an event holds;
-- a restart tells the end anew, and the lines before it count no more.
create table judgement (
    company_id uuid not null,
    end_id uuid not null,
    seq bigint generated always as identity,
    event_id uuid not null,
    cause_id uuid,
    restart boolean not null default false,
    judged jsonb not null,
    made_at timestamptz not null,
    primary key (company_id, end_id, seq));
create trigger judgement_append_only before update or delete on judgement for each row execute function ledger_is_append_only();
create trigger judgement_no_truncate before truncate on judgement for each statement execute function ledger_is_append_only();

-- How far the device's clock was behind ours when it sent the event.
alter table ledger add column clock_behind_ms bigint not null default 0;

-- What does not fit yet, and may when others have arrived, is tried again by itself.
alter table quarantine add column end_id uuid, add column waits boolean not null default false, add column clock_behind_ms bigint not null default 0;
create index quarantine_waiting on quarantine (company_id, end_id) where settled_at is null and waits;

-- What a cable's link is made of beside its two ends.
alter table cable
    add column connections int not null default 2 check (connections between 0 and 50),
    add column splices int not null default 0 check (splices between 0 and 100);

-- Which state of a row of the plan somebody saw: a change made on an older one is given both to choose from.
alter table cable add column version int not null default 1;
