-- How a cable's strands lie: how many share a unit, and in which order its colours count (TIA-598 where nothing else was said).
alter table cable
    add column unit_size int not null default 12 check (unit_size in (4, 6, 8, 12, 24)),
    add column colour_order text not null default 'Blue,Orange,Green,Brown,Slate,White,Red,Black,Yellow,Violet,Rose,Aqua';
