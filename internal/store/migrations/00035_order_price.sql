-- +goose Up
-- What was agreed for a kilogram, hundredths; 0 where nobody said.
alter table purchase_line add column price_cents bigint not null default 0 check (price_cents >= 0);

-- +goose Down
alter table purchase_line drop column price_cents;
