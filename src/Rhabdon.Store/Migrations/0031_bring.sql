-- How far a panel's ends have to come to the bench, and what loop has to remain: slack that cannot be cut off.
alter table panel
    add column reach_mm double precision not null default 0 check (reach_mm between 0 and 100000),
    add column loop_turns int not null default 0 check (loop_turns between 0 and 20);

-- What a company pays and how long things take it; where there is no row, what is usual holds.
create table company_figures (
    company_id uuid primary key references company,
    version int not null,
    document jsonb not null,
    changed_by uuid not null,
    changed_at timestamptz not null);

-- From a lot or a tool to every connector that it touched.
create index fact_attempt_lots on fact_attempt using gin (lots) where lots <> '{}';
create index fact_attempt_tools on fact_attempt using gin (tool_ids) where tool_ids <> '{}';
-- What a crew has used up since its stock was counted.
create index fact_attempt_crew on fact_attempt (company_id, version, crew_id, started_at);
-- Losses of connectors alone, newest first.
create index fact_reading_traced on fact_reading (company_id, version, at desc) where kind = 'trace';
