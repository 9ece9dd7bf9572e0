-- +goose Up

-- Schemes that a kitchen made its own. A version is never changed: inspections
-- name the one they were made with.
create table house_scheme (
    site_id    int not null references site,
    id         text not null,
    version    int not null,
    data       json not null,
    retired    boolean not null default false,
    created_at timestamptz not null,
    person_id  int not null,
    primary key (site_id, id, version),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- Calibration lines fitted to fish of known history; the newest counts.
create table house_calibration (
    site_id    int not null references site,
    scheme     text not null,
    species    text not null,
    created_at timestamptz not null,
    data       json not null,
    person_id  int not null,
    primary key (site_id, scheme, species, created_at),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- +goose Down
drop table house_calibration, house_scheme;
