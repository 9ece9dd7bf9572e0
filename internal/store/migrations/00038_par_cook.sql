-- +goose Up
-- Who signed the kitchen's procedure for par-cooking, and when; nobody where the name is empty.
alter table site add column par_cook_by text not null default '', add column par_cook_at timestamptz;

-- +goose Down
alter table site drop column par_cook_by, drop column par_cook_at;
