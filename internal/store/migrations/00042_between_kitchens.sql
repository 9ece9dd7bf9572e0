-- +goose Up

-- The kitchens of the same owner, as each of them sees the others. What is in these tables is written by background work alone,
-- which sees all kitchens; a request reads the rows of its own.
create table neighbour (
    site_id    int not null references site,
    other_site int not null references site,
    name       text not null,
    primary key (site_id, other_site)
);

-- What another kitchen could spare: its lots on hand that nothing is reserved of.
create table spare (
    site_id   int not null references site,
    from_site int not null references site,
    lot_id    uuid not null,
    code      text not null,
    species   text not null,
    form      text not null,
    count     int not null,
    kg        double precision not null,
    cents     double precision not null,
    outlook   jsonb not null,
    as_of     timestamptz not null,
    primary key (site_id, from_site, lot_id)
);

-- Fish that goes from one kitchen to another: a row in each, with the same id. side is what this kitchen does. lot_id is the lot here,
-- other_lot the one there. delivered_at is when background work told the other kitchen.
create table transfer (
    site_id      int not null references site,
    id           uuid not null,
    side         text not null check (side in ('asks', 'asked', 'sends', 'receives')),
    other_site   int not null references site,
    other_name   text not null,
    lot_id       uuid,
    other_lot    uuid,
    code         text not null,
    species      text not null,
    form         text not null,
    count        int not null,
    kg           double precision not null,
    plates       int not null default 0,
    service_id   uuid,
    dish_id      uuid,
    event_id     uuid,  -- by which it was sent
    serve_at     timestamptz,
    at           timestamptz not null,
    person       text not null,
    delivered_at timestamptz,
    done_at      timestamptz, -- what was asked for was sent or declined; what came was received
    failed       text not null default '',
    primary key (site_id, id, side)
);
create index on transfer (delivered_at) where delivered_at is null;

-- Where fish of another kitchen lay before it came: copies of that kitchen's places and probes, with what was measured then. They are
-- listed nowhere.
alter table place add column elsewhere boolean not null default false;
alter table probe add column elsewhere boolean not null default false;
create table place_copy (
    site_id    int not null references site,
    from_site  int not null,
    from_place int not null, -- 0: the way between the two, as way says
    way        text not null default '',
    place_id   int not null,
    primary key (site_id, from_site, from_place, way),
    foreign key (site_id, place_id) references place (site_id, id)
);
create table probe_copy (
    site_id    int not null references site,
    from_site  int not null,
    from_probe int not null,
    probe_id   int not null,
    primary key (site_id, from_site, from_probe),
    foreign key (site_id, probe_id) references probe (site_id, id)
);

-- +goose StatementBegin
do $$
declare
    name text;
begin
    foreach name in array array['neighbour', 'spare', 'transfer', 'place_copy', 'probe_copy'] loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
drop table probe_copy, place_copy, transfer, spare, neighbour;
alter table place drop column elsewhere;
alter table probe drop column elsewhere;
