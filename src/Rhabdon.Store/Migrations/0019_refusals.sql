-- A refusal brings its figures; the sentence is made of them where it is read.
alter table quarantine add column args jsonb;
