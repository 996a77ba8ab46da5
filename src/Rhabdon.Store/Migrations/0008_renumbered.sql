-- Ten documents were changed under one number; the last of each has the number that it should have had (procedures/renumbered.yaml).
update cable_end e set procedure_version = n.version
from (values
    ('cam-locked-3mm', 2),
    ('cam-locked-fan-out', 2),
    ('cold-cure-3mm', 3),
    ('hardened-drop', 2),
    ('plunger-locked-900', 2),
    ('wedge-locked-apc-3mm', 2),
    ('wedge-locked-apc-900', 2),
    ('wedge-locked-slide-900', 2),
    ('wedge-locked-upc-3mm', 4),
    ('wedge-locked-upc-900', 2)
) as n (procedure_id, version)
where e.company_id is not null and e.procedure_id = n.procedure_id and e.procedure_version = 1;
