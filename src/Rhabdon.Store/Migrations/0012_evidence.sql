-- Files, each stored once by its content however often it is sent or held.
create table file (
    company_id uuid not null references company,
    content_hash bytea not null check (octet_length(content_hash) = 32),
    bytes bytea not null,
    primary key (company_id, content_hash));
alter table file alter column bytes set storage external;
create trigger file_is_kept before update or delete or truncate on file for each statement execute function ledger_is_append_only();
insert into file (company_id, content_hash, bytes)
select distinct on (company_id, sha256(bytes)) company_id, sha256(bytes), bytes from evidence where company_id is not null;

-- Evidence is held by an end, a panel or a job, under the id that its device gave it.
alter table evidence disable trigger evidence_is_kept;
alter table evidence
    alter column end_id drop not null,
    add column panel_id uuid,
    add column job_id uuid,
    add column content_hash bytea,
    add column size_bytes bigint;
update evidence set content_hash = sha256(bytes), size_bytes = octet_length(bytes) where company_id is not null;
alter table evidence
    drop column bytes,
    alter column content_hash set not null,
    alter column size_bytes set not null,
    add check (num_nonnulls(end_id, panel_id, job_id) = 1),
    add foreign key (company_id, panel_id) references panel (company_id, panel_id),
    add foreign key (company_id, job_id) references job (company_id, job_id);
alter table evidence enable trigger evidence_is_kept;
create index evidence_panel on evidence (company_id, panel_id, evidence_id) where panel_id is not null;
create index evidence_job on evidence (company_id, job_id, evidence_id) where job_id is not null;
