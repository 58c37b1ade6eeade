-- Shots of one place share what stands in it: they are found by the place's name when one of them changes.
create index revision_place on revision ((document ->> 'sharesPlace')) where document ->> 'sharesPlace' is not null;
