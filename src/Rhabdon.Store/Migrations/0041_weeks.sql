-- How a company's weeks are: hours, shared tools, what work takes that no connector is.
create table week_figures (
    company_id uuid primary key references company,
    version int not null,
    document jsonb not null,
    changed_by uuid not null,
    changed_at timestamptz not null,
    foreign key (company_id, changed_by) references person);

-- A week's plan: what was wished for, what was asked of the solver, and what it found. One is worked out at a time for each company.
create table week_plan (
    company_id uuid not null references company,
    monday date not null,
    stage text not null check (stage in ('Waiting', 'Solving', 'Stopping', 'Done', 'Failed')),
    wishes jsonb not null,
    work jsonb,
    plan jsonb,
    seconds double precision not null,
    asked_by uuid not null,
    asked_at timestamptz not null,
    told_at timestamptz,
    tries int not null default 0,
    fault text,
    primary key (company_id, monday),
    foreign key (company_id, asked_by) references person);
create index week_plan_waiting on week_plan (asked_at) where stage in ('Waiting', 'Solving', 'Stopping');
