-- What the program found in a picture when it was kept: an event that names the picture never brings a copy of its own.
alter table evidence add column reading jsonb;
