-- +goose Up

-- What money is counted in, and the hours at which places without a logger are read by hand.
alter table site
    add column currency    text not null default 'EUR',
    add column check_hours text[] not null default '{}';

-- +goose Down
alter table site drop column currency, drop column check_hours;
