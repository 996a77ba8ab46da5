-- Whose record a job is that was carried over from another company's books; null for a company's own.
alter table job add column record_of text;
