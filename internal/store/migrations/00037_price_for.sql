-- +goose Up
-- What the price of an ordered line is for: a kilogram where it is empty, else a piece or a box.
alter table purchase_line add column price_for text not null default '' check (price_for in ('', 'piece', 'box'));

-- +goose Down
alter table purchase_line drop column price_for;
