-- +goose Up

-- Humidity is read by probes of its own; few, and slow, so it is no reading.
alter table probe drop constraint probe_kind_check;
alter table probe add constraint probe_kind_check check (kind in ('fixed', 'logger', 'hand', 'thermometer', 'scale', 'hygrometer'));
create table humidity (
    site_id  int not null,
    probe_id int not null,
    at       timestamptz not null,
    rh       real not null check (rh between 0 and 1),
    primary key (site_id, probe_id, at),
    foreign key (site_id, probe_id) references probe (site_id, id)
);

-- What an ager is set to, and the step of the scale beside it.
alter table place
    add column set_rh  double precision not null default 0.8 check (set_rh between 0.3 and 1),
    add column scale_kg double precision not null default 0.005 check (scale_kg > 0);

-- The kitchen's written plans of ageing. They are kept: one that is no longer in
-- force is struck out, with who did it.
create table ageing_plan (
    site_id   int not null,
    id        uuid not null,
    reference text not null,
    max_days  double precision not null check (max_days > 0),
    max_c     double precision not null,
    raw       boolean not null,
    formers   boolean not null,
    at        timestamptz not null,
    person_id int not null,
    struck_at timestamptz,
    struck_by int,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, struck_by) references person (site_id, id)
);

-- What is known of a fish that hangs or hung; null for others.
alter table lot_board add column aged jsonb not null default 'null';

-- +goose Down
alter table lot_board drop column aged;
drop table ageing_plan;
alter table place drop column set_rh, drop column scale_kg;
drop table humidity;
alter table probe drop constraint probe_kind_check;
update probe set kind = 'fixed' where kind = 'hygrometer'; -- whose humidity is gone
alter table probe add constraint probe_kind_check check (kind in ('fixed', 'logger', 'hand', 'thermometer', 'scale'));
