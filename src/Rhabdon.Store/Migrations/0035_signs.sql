-- What a connector showed before anything was tried on it, and what was tried, where its cause was confirmed: sign=value, act=cured or act=not.
alter table fact_attempt add column seen text[] not null default '{}', add column tried text[] not null default '{}';
-- A company says not only how often each cause is, but also what is seen of it and what cures it.
update company_causes set document = jsonb_build_object('causes', document);
