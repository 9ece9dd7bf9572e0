-- +goose Up

-- A dish of the kitchen: what lies on its plate. species is a choice, the first preferred; part is a part of a fish, or
-- whole_fish for one fish of fish_lo_g to fish_hi_g.
create table dish (
    site_id      int not null references site,
    id           uuid not null,
    name         text not null,
    species      text[] not null check (cardinality(species) > 0),
    part         text not null,
    pieces       int not null check (pieces > 0), -- on a plate
    piece_g      double precision not null check (piece_g > 0),
    fish_lo_g    double precision not null default 0,
    fish_hi_g    double precision not null default 0,
    raw          boolean not null,
    aged         boolean not null default false,
    salt_minutes int not null default 0,
    cut_minutes  int not null default 0,
    station_id   int, -- where it is put up; null: it stays where it lies
    put_up_minutes int not null default 0,
    price_cents  bigint not null default 0,
    retired_at   timestamptz,
    primary key (site_id, id),
    foreign key (site_id, station_id) references place (site_id, id)
);

-- A service: guests at an hour. came is how many there were, once it is over; level is the chance of having enough, 0
-- where it follows from what shortage and waste cost.
create table service (
    site_id   int not null references site,
    id        uuid not null,
    at        timestamptz not null,
    covers    double precision not null check (covers >= 0),
    covers_sd double precision not null check (covers_sd >= 0),
    level     double precision not null check (level >= 0 and level < 1),
    came      int,
    closed_at timestamptz,
    person_id int not null,
    primary key (site_id, id),
    unique (site_id, at),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- A dish at a service: plates as typed, or a share of the guests; what was put up, and what came of it.
create table service_dish (
    site_id    int not null,
    service_id uuid not null,
    dish_id    uuid not null,
    n          int not null,
    plates     int,
    share      double precision not null check (share >= 0 and share <= 1),
    put_up     int,
    sold       int,
    left_over  int,
    wasted     int,
    used_kg    double precision, -- weighed
    core_c     double precision, -- of the thickest piece, once cooked
    core_at    timestamptz,
    primary key (site_id, service_id, dish_id),
    foreign key (site_id, service_id) references service (site_id, id),
    foreign key (site_id, dish_id) references dish (site_id, id)
);

-- Fish that is reserved for a dish of a service. against is why it may not be served then any more; "" while it may.
create table reservation (
    site_id    int not null,
    service_id uuid not null,
    dish_id    uuid not null,
    lot_id     uuid not null,
    plates     int not null check (plates > 0),
    kg         double precision not null check (kg > 0),
    put_up_at  timestamptz,
    against    text not null default '',
    primary key (site_id, service_id, dish_id, lot_id),
    foreign key (site_id, service_id, dish_id) references service_dish (site_id, service_id, dish_id),
    foreign key (site_id, lot_id) references lot (site_id, id)
);
create index on reservation (site_id, lot_id);

-- +goose StatementBegin
do $$
declare
    name text;
begin
    foreach name in array array['dish', 'service', 'service_dish', 'reservation'] loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
drop table reservation, service_dish, service, dish;
