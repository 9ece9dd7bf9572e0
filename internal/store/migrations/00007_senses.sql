-- +goose Up

-- The order in which a person looks, smells and touches; empty: as the scheme
-- lists its signs.
alter table person add column senses text not null default '';

-- +goose Down
alter table person drop column senses;
