-- People who leave stay in the records: they are disabled, not removed. A version on the row, as on all that two may change at once.
alter table person
    add column disabled_at timestamptz,
    add column version int not null default 1,
    drop column failed_sign_ins,
    drop column locked_until;

-- Where a sign-in was made, for its owner and the office to know it again.
alter table sign_in
    add column device text not null default '',
    add column address text not null default '';

-- Devices on which somebody has signed in before: there the right password goes through, whatever strangers try meanwhile.
create table known_device (
    company_id uuid not null,
    person_id uuid not null,
    device_id uuid not null,
    known_at timestamptz not null,
    primary key (company_id, person_id, device_id),
    foreign key (company_id, person_id) references person);

-- Wrong passwords, by a hash of what was tried from where; of names that nobody has, too, so that the answer tells nothing.
create table sign_in_failure (
    tried text primary key,
    failures int not null,
    wait_until timestamptz not null,
    at timestamptz not null);
