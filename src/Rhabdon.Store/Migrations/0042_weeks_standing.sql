-- The last plan of a week in which everything that was wished for holds: what people are told of stays while another is worked out, and where what is wished for cannot be.
alter table week_plan add column standing jsonb;
update week_plan set work = jsonb_set(work, '{waiting}', '[]') where work ? 'waiting';
update week_plan set plan = plan #- '{plan,paddedTravel}' where plan is not null;
update week_plan set standing = jsonb_build_object('work', work, 'plan', plan -> 'plan') where work is not null and plan -> 'plan' ->> 'outcome' in ('best', 'planned');
