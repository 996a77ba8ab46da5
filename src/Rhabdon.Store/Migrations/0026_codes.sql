-- One-time codes beside the password (RFC 6238): the shared secret as the server's keys protect it, the last step of time that was used, so that no code
-- works twice, and codes for the day the telephone is lost. Which roles have to have them, the company says.
alter table person
    add column code_secret text,
    add column code_pending text,
    add column code_since timestamptz,
    add column code_step bigint;
create table recovery_code (
    company_id uuid not null,
    person_id uuid not null,
    hash bytea not null check (octet_length(hash) = 32),
    used_at timestamptz,
    primary key (company_id, person_id, hash),
    foreign key (company_id, person_id) references person);
alter table company add column codes_for text[] not null default '{}';
