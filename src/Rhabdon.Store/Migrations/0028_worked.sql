-- What was worked last, and on which days.
create index end_state_last on end_state (company_id, last_at, end_id);
