-- A company's own look on paper.
create table letterhead (
    company_id uuid primary key references company,
    mark bytea,
    foot text not null,
    changed_by uuid not null,
    changed_at timestamptz not null,
    foreign key (company_id, changed_by) references person);

-- What a company seals with. The private half is kept as the server's own key protects it; a key that can no more be opened seals nothing new, what it sealed stays sealed.
create table seal_key (
    company_id uuid not null references company,
    key_id text not null,
    public_key bytea not null,
    private_key text not null,
    made_at timestamptz not null,
    primary key (company_id, key_id));

-- Dossiers that wait, are being drawn, or are done. What is done is the paper, the data that it was drawn from, and the seal on both.
create table dossier (
    company_id uuid not null,
    dossier_id uuid not null,
    job_id uuid not null,
    choice jsonb not null,
    handover int,
    stage text not null check (stage in ('Waiting', 'Drawing', 'Done', 'Stopped', 'Failed')),
    progress real not null default 0,
    -- How often a server has begun it: one that ends servers is not begun for ever.
    tries int not null default 0,
    asked_by uuid not null,
    asked_at timestamptz not null,
    told_at timestamptz not null,
    done_at timestamptz,
    data_sha256 text,
    summary jsonb,
    seal jsonb,
    file_bytes bigint,
    fault text,
    primary key (company_id, dossier_id),
    foreign key (company_id, job_id) references job (company_id, job_id),
    foreign key (company_id, asked_by) references person);
create index dossier_job on dossier (company_id, job_id, dossier_id);
create index dossier_open on dossier (asked_at) where stage in ('Waiting', 'Drawing');
create index dossier_code on dossier (left(data_sha256, 16)) where stage = 'Done';

-- Beside it, because lists do not ask for it: the PDF, and the data as JSON, packed.
create table dossier_file (
    company_id uuid not null,
    dossier_id uuid not null,
    pdf bytea not null,
    data bytea not null,
    primary key (company_id, dossier_id),
    foreign key (company_id, dossier_id) references dossier on delete cascade);
alter table dossier_file alter column pdf set storage external, alter column data set storage external;

-- Who may look at one job without an account: whoever has the link. What it is called by is kept as a hash.
create table job_link (
    company_id uuid not null,
    link_id uuid not null,
    job_id uuid not null,
    hash bytea not null unique check (octet_length(hash) = 32),
    name text not null,
    made_by uuid not null,
    made_at timestamptz not null,
    expires_at timestamptz not null,
    revoked_at timestamptz,
    opened int not null default 0,
    opened_at timestamptz,
    primary key (company_id, link_id),
    foreign key (company_id, job_id) references job (company_id, job_id),
    foreign key (company_id, made_by) references person);
create index job_link_job on job_link (company_id, job_id, link_id);

-- Each time that a link was opened, by which device as far as it says.
create table job_link_opening (
    company_id uuid not null,
    link_id uuid not null,
    at timestamptz not null,
    device text not null,
    address text not null,
    foreign key (company_id, link_id) references job_link);
create index job_link_opening_of on job_link_opening (company_id, link_id, at desc);
