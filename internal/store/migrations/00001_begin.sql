-- +goose Up

-- A site is one kitchen. site_id leads every key, so that a group of kitchens
-- can be spread over nodes and no query can reach across by accident.
create table site (
    id            int generated always as identity primary key,
    slug          text not null unique,
    name          text not null,
    time_zone     text not null,
    profile       text not null,
    transport_c   double precision not null,
    service_hours text[] not null default '{}',
    next_lot      int not null default 1
);

create table person (
    site_id    int not null references site,
    id         int generated always as identity,
    name       text not null,
    role       text not null check (role in ('owner', 'manager', 'buyer', 'crew', 'auditor')),
    temp_scale text not null default 'C' check (temp_scale in ('C', 'F')),
    mass_scale text not null default 'kg' check (mass_scale in ('kg', 'lb')),
    primary key (site_id, id),
    unique (site_id, name)
);

create table place (
    site_id  int not null references site,
    id       int generated always as identity,
    name     text not null,
    kind     text not null,
    set_c    double precision not null,
    position int not null default 0,
    primary key (site_id, id),
    unique (site_id, name)
);

-- A probe measures a place, or travels with a lot (place_id null).
-- interval_s is the usual distance between its readings.
create table probe (
    site_id    int not null references site,
    id         int generated always as identity,
    name       text not null,
    place_id   int,
    by_hand    boolean not null default false,
    interval_s int not null check (interval_s > 0),
    primary key (site_id, id),
    unique (site_id, name),
    foreign key (site_id, place_id) references place (site_id, id)
);

create table supplier (
    site_id int not null references site,
    id      int generated always as identity,
    name    text not null,
    primary key (site_id, id),
    unique (site_id, name)
);

create table docket (
    site_id     int not null references site,
    id          uuid not null,
    supplier_id int not null,
    reference   text not null,
    arrived_at  timestamptz not null,
    recorded_at timestamptz not null,
    person_id   int not null,
    primary key (site_id, id),
    foreign key (site_id, supplier_id) references supplier (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on docket (site_id, arrived_at desc);

-- The head of each lot's chain of events: the row that an append locks.
create table lot (
    site_id   int not null references site,
    id        uuid not null,
    code      text not null,
    docket_id uuid not null,
    head_seq  int not null,
    head_hash bytea not null,
    primary key (site_id, id),
    unique (site_id, code),
    foreign key (site_id, docket_id) references docket (site_id, id)
);

-- All that ever happened to a lot. Append-only; data is json, not jsonb,
-- because the hash is over its text.
create table lot_event (
    site_id     int not null,
    lot_id      uuid not null,
    seq         int not null,
    id          uuid not null,
    kind        text not null,
    happened_at timestamptz not null,
    recorded_at timestamptz not null,
    person_id   int not null,
    data        json not null,
    prev_hash   bytea not null,
    hash        bytea not null,
    primary key (site_id, lot_id, seq),
    unique (site_id, id),
    foreign key (site_id, lot_id) references lot (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- +goose StatementBegin
create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception '% is append-only', tg_table_name;
end $$;
-- +goose StatementEnd
create trigger append_only before update or delete on lot_event for each row execute function refuse_change();
create trigger append_only_truncate before truncate on lot_event for each statement execute function refuse_change();

-- The board's projection: what the fold and the clock said of each lot at
-- as_of. It can be rebuilt from the events and the readings at any time.
create table lot_board (
    site_id     int not null,
    lot_id      uuid not null,
    seq         int not null,
    code        text not null,
    status      text not null,
    hold        text not null,
    species     text not null,
    form        text not null,
    frozen      boolean not null,
    count       int not null,
    weight_kg   double precision not null,
    supplier_id int not null,
    docket_id   uuid not null,
    place_id    int not null,
    received_at timestamptz not null,
    decision    text not null,
    as_of       timestamptz not null,
    basis       text not null,
    used_days   double precision not null,
    sd_days     double precision not null,
    left_days   double precision not null,
    shelf_days  double precision not null,
    gap         double precision,
    now_c       double precision not null,
    now_kind    text not null,
    rate        double precision,
    stops       text[] not null,
    uses        jsonb not null,
    due         jsonb not null,
    primary key (site_id, lot_id),
    foreign key (site_id, lot_id) references lot (site_id, id)
);
create index on lot_board (site_id, received_at desc);
create index on lot_board (site_id, as_of) where status = 'on hand';

-- Counts the changes of what a site's people see; bumped last in a transaction.
create table site_version (
    site_id int primary key references site,
    version bigint not null
);

-- Which probes a lot's clock draws on, and when: what new readings make stale.
create table lot_source (
    site_id  int not null,
    probe_id int not null,
    lot_id   uuid not null,
    from_at  timestamptz not null,
    to_at    timestamptz not null,
    primary key (site_id, probe_id, lot_id, from_at)
);
create index on lot_source (site_id, lot_id);

-- Lots whose projection is out of date; whoever is free takes them.
create table stale_lot (
    site_id int not null,
    lot_id  uuid not null,
    primary key (site_id, lot_id)
);

-- Narrow rows, partitioned by month; ensure_reading_month makes the partitions.
create table reading (
    site_id  int not null,
    probe_id int not null,
    at       timestamptz not null,
    celsius  real not null,
    primary key (site_id, probe_id, at)
) partition by range (at);

-- +goose StatementBegin
create function ensure_reading_month(month date) returns void language plpgsql as $$
declare
    first date := date_trunc('month', month);
    name  text := 'reading_' || to_char(first, 'YYYY_MM');
begin
    if to_regclass(name) is null then
        perform pg_advisory_xact_lock(hashtext('ensure_reading_month'));
        execute format('create table if not exists %I partition of reading for values from (%L) to (%L)',
            name, first::text || ' 00:00+00', (first + interval '1 month')::date::text || ' 00:00+00');
    end if;
end $$;
-- +goose StatementEnd

-- The hourly roll-up: exact integrals over the covered part of each hour.
-- above_s counts the seconds above each of coldchain.Limits, in their order.
create table reading_hour (
    site_id    int not null,
    probe_id   int not null,
    hour       timestamptz not null,
    readings   int not null,
    first_at   timestamptz not null,
    first_c    double precision not null,
    last_at    timestamptz not null,
    last_c     double precision not null,
    covered_s  double precision not null,
    temperate  double precision not null,
    warm       double precision not null,
    degree_day double precision not null,
    min_c      double precision not null,
    max_c      double precision not null,
    above_s    double precision[] not null,
    primary key (site_id, probe_id, hour)
);

-- A file on its way in, in pieces, until it is stored or dropped.
create table import_file (
    site_id    int not null references site,
    id         uuid not null,
    name       text not null,
    person_id  int not null,
    created_at timestamptz not null,
    primary key (site_id, id)
);
create table import_piece (
    site_id int not null,
    file_id uuid not null,
    seq     int not null,
    bytes   bytea not null,
    primary key (site_id, file_id, seq),
    foreign key (site_id, file_id) references import_file (site_id, id) on delete cascade
);

-- Tokens of the JSON API; only their hash is kept.
create table api_token (
    site_id    int not null references site,
    id         int generated always as identity,
    name       text not null,
    hash       bytea not null unique,
    person_id  int not null,
    created_at timestamptz not null,
    primary key (site_id, id)
);

-- +goose Down
drop table api_token, import_piece, import_file, reading_hour, reading, stale_lot, lot_source, site_version, lot_board,
    lot_event, lot, docket, supplier, probe, place, person, site;
drop function ensure_reading_month, refuse_change;
