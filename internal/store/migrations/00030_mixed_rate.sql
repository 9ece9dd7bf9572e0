-- +goose Up
-- The larger of both rates of spoilage at each temperature, for fish of mixed waters. Of hours that were
-- rolled up before, the larger of both sums: it is the same in all hours that cross neither 0 nor 15.8 °C.
alter table reading_hour add column mixed double precision;
update reading_hour set mixed = greatest(temperate, warm);
alter table reading_hour alter column mixed set not null;

-- +goose Down
alter table reading_hour drop column mixed;
