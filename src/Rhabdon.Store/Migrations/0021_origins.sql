-- Up to which version the ends that nobody has begun were moved, by shipped procedure: they follow what ships, once each.
create table shipped_version (procedure_id text primary key, version int not null);

-- From which procedure a company's own was copied, so that its owners are told what changed in the original. Null for what came in by file, and for copies of before.
alter table own_procedure add column copied_from_id text, add column copied_from_version int;
