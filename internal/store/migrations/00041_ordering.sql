-- +goose Up

-- When a supplier delivers: on weekdays (1 Monday to 7 Sunday; none: any day), at about an hour, of what was ordered by the hour of
-- order_by so many days before.
alter table supplier
    add column deliver_days int[] not null default '{}',
    add column arrives      text not null default '06:30',
    add column order_by     text not null default '16:00',
    add column order_days   int not null default 1 check (order_days between 0 and 14);

-- The day that an order is to arrive, what it is for, and when it was sent or taken back.
alter table purchase_order
    add column deliver_at   timestamptz,
    add column sent_at      timestamptz,
    add column cancelled_at timestamptz;

-- What a line is ordered for, and how many plates of that it is enough for.
alter table purchase_line
    add column service_id uuid,
    add column dish_id    uuid,
    add column plates     int not null default 0;

-- What a box of a species in a form holds, as a supplier packs it, kg.
create table supplier_box (
    site_id     int not null,
    supplier_id int not null,
    species     text not null,
    form        text not null,
    box_kg      double precision not null check (box_kg > 0),
    primary key (site_id, supplier_id, species, form),
    foreign key (site_id, supplier_id) references supplier (site_id, id)
);
alter table supplier_box enable row level security;
create policy fence on supplier_box to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on supplier_box to leancatch_all using (true) with check (true);

-- +goose Down
drop table supplier_box;
alter table purchase_line drop column service_id, drop column dish_id, drop column plates;
alter table purchase_order drop column deliver_at, drop column sent_at, drop column cancelled_at;
alter table supplier drop column deliver_days, drop column arrives, drop column order_by, drop column order_days;
