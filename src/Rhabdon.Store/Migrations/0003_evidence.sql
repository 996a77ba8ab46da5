-- What an instrument gave of an end: the picture of its face, or a trace. Kept as it came, never changed.
create table evidence (
    company_id uuid not null references company,
    evidence_id uuid not null,
    end_id uuid not null,
    kind text not null check (kind in ('picture', 'trace')),
    content_type text not null,
    bytes bytea not null,
    made_at timestamptz not null,
    made_by uuid not null,
    primary key (company_id, evidence_id),
    foreign key (company_id, end_id) references cable_end (company_id, end_id),
    foreign key (company_id, made_by) references person (company_id, person_id));
create index evidence_end on evidence (company_id, end_id, evidence_id);
alter table evidence alter column bytes set storage external;

create trigger evidence_is_kept before update or delete or truncate on evidence for each statement execute function ledger_is_append_only();

-- A company's own limits. A version never changes; another edit is another version, under an id of its own.
create table own_limit_set (
    company_id uuid not null references company,
    limit_set_id text not null,
    kind text not null check (kind in ('end-face', 'loss')),
    document jsonb not null,
    made_at timestamptz not null,
    made_by uuid not null,
    primary key (company_id, limit_set_id),
    foreign key (company_id, made_by) references person (company_id, person_id));
