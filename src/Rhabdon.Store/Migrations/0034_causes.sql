-- How often each cause is behind a bad connector, where a company says otherwise than is shipped; confirmed causes are counted from the facts.
create table company_causes (
    company_id uuid primary key references company,
    version int not null,
    document jsonb not null,
    changed_by uuid not null,
    changed_at timestamptz not null);
create index fact_attempt_confirmed on fact_attempt (company_id, version, started_at desc) where cause_confirmed;
