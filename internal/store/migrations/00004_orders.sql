-- +goose Up

-- What an hour of the kitchen's work costs, for rework; money is in cents.
alter table site add column wage_cents int not null default 2600;

-- An order to a supplier; its lines say what is to stay on the fish and what is
-- to come off. received_docket is set when it came in.
create table purchase_order (
    site_id         int not null references site,
    id              uuid not null,
    supplier_id     int not null,
    placed_at       timestamptz not null,
    person_id       int not null,
    received_docket uuid,
    primary key (site_id, id),
    foreign key (site_id, supplier_id) references supplier (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, received_docket) references docket (site_id, id)
);
create table purchase_line (
    site_id   int not null,
    order_id  uuid not null,
    line      int not null,
    species   text not null,
    form      text not null,
    count     int not null,
    weight_kg double precision not null,
    off       text[] not null,
    fee_cents int not null,
    note      text not null,
    primary key (site_id, order_id, line),
    foreign key (site_id, order_id) references purchase_order (site_id, id)
);

-- +goose Down
drop table purchase_line, purchase_order;
alter table site drop column wage_cents;
