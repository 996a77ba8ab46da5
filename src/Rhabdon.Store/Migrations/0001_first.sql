-- Every table carries company_id first in its key: no row can be reached without it, and the data can later be
-- spread by company. Foreign keys carry it too, so that no row can point into another company.

create table company (
    company_id uuid primary key,
    name text not null,
    created_at timestamptz not null default now());

create table crew (
    company_id uuid not null references company,
    crew_id uuid not null,
    name text not null,
    primary key (company_id, crew_id),
    unique (company_id, name));

create table person (
    company_id uuid not null references company,
    person_id uuid not null,
    crew_id uuid,
    name text not null,
    login text not null,
    role text not null check (role in ('Installer', 'Lead', 'Office', 'Viewer')),
    password_hash text not null,
    security_stamp uuid not null,
    failed_sign_ins int not null default 0,
    locked_until timestamptz,
    primary key (company_id, person_id),
    foreign key (company_id, crew_id) references crew);
-- Sign-in starts from the login alone, before any company is known.
create unique index person_login on person (lower(login));

create table job (
    company_id uuid not null references company,
    job_id uuid not null,
    customer text not null,
    site text not null,
    time_zone text not null,
    due_on date not null,
    limit_set_id text not null,
    crew_id uuid not null,
    created_at timestamptz not null,
    primary key (company_id, job_id),
    foreign key (company_id, crew_id) references crew);

create table job_viewer (
    company_id uuid not null,
    job_id uuid not null,
    person_id uuid not null,
    primary key (company_id, job_id, person_id),
    foreign key (company_id, job_id) references job,
    foreign key (company_id, person_id) references person);

create table space (
    company_id uuid not null,
    space_id uuid not null,
    job_id uuid not null,
    code text not null,
    name text not null,
    primary key (company_id, space_id),
    unique (company_id, job_id, code),
    foreign key (company_id, job_id) references job);

create table panel (
    company_id uuid not null,
    panel_id uuid not null,
    job_id uuid not null,
    space_id uuid not null,
    code text not null,
    ports int not null check (ports between 1 and 576),
    adapter_form text not null,
    angled boolean not null,
    primary key (company_id, panel_id),
    unique (company_id, space_id, code),
    foreign key (company_id, job_id) references job,
    foreign key (company_id, space_id) references space);

create table cable (
    company_id uuid not null,
    cable_id uuid not null,
    job_id uuid not null,
    code text not null,
    fiber_class text not null,
    construction text not null,
    strand_count int not null check (strand_count between 1 and 288),
    length_m double precision not null check (length_m > 0),
    slack_a_mm double precision not null check (slack_a_mm >= 0),
    slack_b_mm double precision not null check (slack_b_mm >= 0),
    primary key (company_id, cable_id),
    unique (company_id, job_id, code),
    foreign key (company_id, job_id) references job);

create table cable_end (
    company_id uuid not null,
    end_id uuid not null,
    job_id uuid not null,
    cable_id uuid not null,
    strand int not null check (strand between 1 and 288),
    side text not null check (side in ('A', 'B')),
    panel_id uuid not null,
    port int not null,
    position int not null,
    form text not null,
    polish text not null,
    mode text not null,
    method text not null,
    stub_class text,
    procedure_id text,
    procedure_version int,
    primary key (company_id, end_id),
    unique (company_id, cable_id, strand, side),
    unique (company_id, panel_id, port, position),
    foreign key (company_id, job_id) references job,
    foreign key (company_id, cable_id) references cable,
    foreign key (company_id, panel_id) references panel);
create index cable_end_job on cable_end (company_id, job_id, panel_id, port, position);

-- The ledger: what happened, as devices wrote it down.
create table ledger (
    company_id uuid not null,
    event_id uuid not null,
    seq bigint generated always as identity,
    end_id uuid not null,
    attempt int not null,
    kind text not null,
    at timestamptz not null,
    device_id uuid not null,
    device_seq bigint not null,
    actor_id uuid not null,
    sender_id uuid not null,
    body jsonb not null,
    received_at timestamptz not null,
    primary key (company_id, event_id));
create index ledger_end on ledger (company_id, end_id, seq);

create function ledger_is_append_only() returns trigger language plpgsql as $$
begin
    raise exception 'the ledger is append-only: % is refused', tg_op using errcode = 'insufficient_privilege';
end $$;
create trigger ledger_append_only before update or delete on ledger for each row execute function ledger_is_append_only();
create trigger ledger_no_truncate before truncate on ledger for each statement execute function ledger_is_append_only();

-- What each end has come to: folded from the ledger in the same transaction, and never written otherwise.
create table end_state (
    company_id uuid not null,
    end_id uuid not null,
    job_id uuid not null,
    status text not null,
    verdict text not null,
    phase text,
    attempts int not null,
    -- Where the line looped back, as in 'join>strip', with a space between, in the order it happened.
    loops text not null,
    slack_used_mm double precision not null,
    last_at timestamptz,
    state jsonb not null,
    primary key (company_id, end_id),
    foreign key (company_id, end_id) references cable_end);
create index end_state_job on end_state (company_id, job_id);

-- Events that the rules refused: kept with the reason until somebody settles them.
create table quarantine (
    company_id uuid not null,
    quarantine_id uuid not null,
    event_id uuid,
    -- As it came, byte for byte: what jsonb cannot hold is kept too.
    raw text not null,
    code text not null,
    field text not null,
    reason text not null,
    sender_id uuid not null,
    received_at timestamptz not null,
    tries int not null default 1,
    settled_at timestamptz,
    settled_as text check (settled_as in ('stored', 'set-aside')),
    primary key (company_id, quarantine_id));
create unique index quarantine_same on quarantine (company_id, md5(raw));
create index quarantine_open on quarantine (company_id, quarantine_id) where settled_at is null;
