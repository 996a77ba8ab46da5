-- What a person says of a day's hours, where that is otherwise than from the first act to the last.
create table hours_said (
    company_id uuid not null references company,
    person_id uuid not null,
    day date not null,
    minutes int not null check (minutes between 0 and 1440),
    note text not null,
    said_by uuid not null,
    said_at timestamptz not null,
    primary key (company_id, person_id, day),
    foreign key (company_id, person_id) references person,
    foreign key (company_id, said_by) references person);

-- What the customer pays for an accepted connector, by its kind.
create table job_price (
    company_id uuid not null references company,
    job_id uuid not null,
    prices jsonb not null,
    changed_by uuid not null,
    changed_at timestamptz not null,
    primary key (company_id, job_id),
    foreign key (company_id, job_id) references job,
    foreign key (company_id, changed_by) references person);

-- A day's entries are found by when they were said. They come nearly in that order, so that a summary of each stretch is enough and costs next to nothing.
create index ledger_at on ledger using brin (at) with (pages_per_range = 16, autosummarize = on);
