-- The sheets of labels that a company prints on, where it says otherwise than is usual.
create table label_sheets (
    company_id uuid primary key references company,
    sheets jsonb not null,
    changed_by uuid not null,
    changed_at timestamptz not null,
    foreign key (company_id, changed_by) references person);
