-- A token for scripts stands for somebody of its own, with a role and the jobs or the crew that go with it, but without a password: all that holds for
-- people holds for it. What it is called by a script is kept as a hash.
alter table person add column is_token boolean not null default false;
create table token (
    company_id uuid not null,
    person_id uuid not null,
    hash bytea not null unique check (octet_length(hash) = 32),
    made_by uuid not null,
    made_at timestamptz not null,
    used_at timestamptz,
    revoked_at timestamptz,
    primary key (company_id, person_id),
    foreign key (company_id, person_id) references person,
    foreign key (company_id, made_by) references person);

-- What a company's files take, counted as they are kept: each file is kept once, and for good.
alter table company add column files_bytes bigint not null default 0, add column files int not null default 0;
update company c set (files_bytes, files) = (select coalesce(sum(octet_length(f.bytes)), 0), count(*) from file f where f.company_id = c.company_id);
