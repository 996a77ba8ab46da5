-- A company's own procedures. A draft may still be faulty; what is published never changes.
create table own_procedure (
    company_id uuid not null references company,
    procedure_id text not null,
    version int not null,
    document jsonb not null,
    changed_at timestamptz not null,
    changed_by uuid not null,
    published_at timestamptz,
    primary key (company_id, procedure_id, version));

-- Which school the company follows where practitioners disagree; options without a row follow the procedure's default.
create table school (
    company_id uuid not null references company,
    option_id text not null,
    choice_id text not null,
    primary key (company_id, option_id));

-- What a crew said last in a pre-flight: lots, purities. Written with the events it came in.
create table kit (
    company_id uuid not null,
    crew_id uuid not null,
    item_id text not null,
    answer jsonb not null,
    primary key (company_id, crew_id, item_id));

-- The batch that an end is worked in, and by how many shards its container was off when it was closed.
alter table end_state add column batch_id uuid;
alter table end_state add column shards_off int not null default 0;
create index end_state_shards_off on end_state (company_id, end_id) where shards_off <> 0;
