-- Which heading of a plan that comes in by file is which column, kept by the name of who writes such files.
create table plan_mapping (
    company_id uuid not null references company,
    name text not null,
    mapping jsonb not null,
    changed_by uuid not null,
    changed_at timestamptz not null,
    primary key (company_id, name),
    foreign key (company_id, changed_by) references person);
