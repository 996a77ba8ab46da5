-- How the last connectors of a method went: read newest first, a bounded number of them, however old the company is.
create index fact_attempt_ended on fact_attempt (company_id, version, method, started_at desc) where outcome <> 'open';
