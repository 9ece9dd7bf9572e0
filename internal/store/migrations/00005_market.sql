-- +goose Up

-- A quick look at fish on a market, before there is a docket; lot_id is set
-- when it was bought and came in.
create table market_look (
    site_id   int not null references site,
    id        uuid not null,
    looked_at timestamptz not null,
    person_id int not null,
    data      json not null,
    lot_id    uuid,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, lot_id) references lot (site_id, id)
);
create index on market_look (site_id, looked_at desc);

-- +goose Down
drop table market_look;
