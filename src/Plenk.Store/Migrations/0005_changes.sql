-- What a revision changed: places, names, values before and after. Null: it was not made by named edits, or before there were any.
alter table revision add column changes jsonb;
