-- Who did what beside the ledger: sign-ins, people, plans, procedures, limits, exports, and what was refused to whom. Added to, never changed.
create table audit (
    company_id uuid not null references company,
    audit_id bigint generated always as identity,
    at timestamptz not null,
    person_id uuid,
    what text not null,
    status int not null,
    about jsonb not null,
    address text not null,
    device text not null,
    primary key (company_id, audit_id),
    foreign key (company_id, person_id) references person);
create index audit_person on audit (company_id, person_id, audit_id);
create index audit_what on audit (company_id, what, audit_id);
create trigger audit_append_only before update or delete or truncate on audit for each statement execute function ledger_is_append_only();
