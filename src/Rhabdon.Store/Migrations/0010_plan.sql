-- Every row of the plan has a version: of two who change one thing, the second is given both to choose from.
alter table job
    add column number text not null default '',
    -- What faces are held to; null where the house limits in force hold.
    add column face_limit_set_id text;
create unique index job_number on job (company_id, number) where number <> '';
alter table space add column version int not null default 1;
alter table panel add column version int not null default 1;
alter table cable
    add column diameter_mm double precision check (diameter_mm > 0),
    -- A jumper is ordered at a length between its connectors, and lands on no panel of this job.
    add column ordered_length_mm double precision check (ordered_length_mm > 0);

-- Where an end is worked: its panel, or, where it needs none, its cable.
alter table cable_end
    alter column panel_id drop not null,
    add column version int not null default 1,
    add column place_id uuid generated always as (coalesce(panel_id, cable_id)) stored;
drop index cable_end_job;
create index cable_end_job on cable_end (company_id, job_id, place_id, port, position);
create index cable_end_place on cable_end (company_id, place_id, port, position);
alter table end_state rename column panel_id to place_id;

-- Who works what, apart from the job: the crew, or one person of it.
alter table cable_end add column crew_id uuid, add column person_id uuid;
update cable_end e set crew_id = j.crew_id from job j where e.company_id is not null and j.company_id = e.company_id and j.job_id = e.job_id;
alter table cable_end
    alter column crew_id set not null,
    add foreign key (company_id, crew_id) references crew (company_id, crew_id),
    add foreign key (company_id, person_id) references person (company_id, person_id);
create index cable_end_crew on cable_end (company_id, crew_id, job_id);
-- All that was ever assigned. What was done while an assignment held is taken in, however late it comes.
create table assigned (
    company_id uuid not null,
    end_id uuid not null,
    seq bigint generated always as identity,
    since timestamptz not null,
    crew_id uuid not null,
    person_id uuid,
    -- Null where it was so from the planning on, or went with the job's crew.
    event_id uuid,
    primary key (company_id, end_id, seq),
    foreign key (company_id, end_id) references cable_end (company_id, end_id) on delete cascade,
    foreign key (company_id, crew_id) references crew (company_id, crew_id),
    foreign key (company_id, person_id) references person (company_id, person_id));
insert into assigned (company_id, end_id, since, crew_id) select company_id, end_id, '-infinity', crew_id from cable_end where company_id is not null;

-- What lies in a channel beside the connectors of this job: modules with a rear and a front, bought cords, and how they hang together.
create table module (
    company_id uuid not null,
    module_id uuid not null,
    job_id uuid not null,
    panel_id uuid,
    code text not null,
    fiber_class text not null,
    fibers int not null check (fibers between 1 and 144),
    rear_form text not null,
    front_form text not null,
    -- The most that its maker's sheet allows it to lose; null where nobody knows.
    loss_db double precision check (loss_db >= 0),
    version int not null default 1,
    primary key (company_id, module_id),
    unique (company_id, job_id, code),
    foreign key (company_id, job_id) references job (company_id, job_id),
    foreign key (company_id, panel_id) references panel (company_id, panel_id));
create table cord (
    company_id uuid not null,
    cord_id uuid not null,
    job_id uuid not null,
    code text not null,
    fiber_class text not null,
    fibers int not null check (fibers between 1 and 144),
    form_a text not null,
    polish_a text not null,
    form_b text not null,
    polish_b text not null,
    length_m double precision not null check (length_m > 0),
    version int not null default 1,
    primary key (company_id, cord_id),
    unique (company_id, job_id, code),
    foreign key (company_id, job_id) references job (company_id, job_id));
create table chain (
    company_id uuid not null,
    chain_id uuid not null,
    job_id uuid not null,
    code text not null,
    -- In the order of the light: what, which one, by which of its fibers, and whether it lies the other way round.
    parts jsonb not null,
    version int not null default 1,
    primary key (company_id, chain_id),
    unique (company_id, job_id, code),
    foreign key (company_id, job_id) references job (company_id, job_id));
