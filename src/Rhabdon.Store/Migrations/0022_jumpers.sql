-- By how much a jumper may differ from the length it was ordered at, either way.
alter table cable add column ordered_tolerance_mm double precision check (ordered_tolerance_mm >= 0);
