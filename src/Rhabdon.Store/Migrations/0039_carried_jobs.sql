-- Whose record a job is that was carried over from another company's books; null for a company's own.
alter table job add column record_of text;

-- A photo of an end: the picture alone, upright, in which nothing is read. What a microscope gave stays as it came.
alter table evidence drop constraint evidence_kind_check, add constraint evidence_kind_check check (kind in ('picture', 'trace', 'photo'));
