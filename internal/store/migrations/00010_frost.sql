-- +goose Up

-- How a freezer cools, and what it can take away beside what leaks in.
alter table place
    add column cooling text not null default '' check (cooling in ('', 'still', 'fan', 'blast', 'plate')),
    add column power_w double precision check (power_w > 0);

-- The kitchen's habit of thawing.
alter table site add column thaw_school text not null default 'fridge-first';

-- Suppliers' papers on parasites. They are kept: one that was wrong is struck
-- out, with who did it.
create table parasite_letter (
    site_id     int not null,
    id          uuid not null,
    supplier_id int not null,
    species     text not null,
    kind        text not null check (kind in ('farmed', 'frozen')),
    reference   text not null,
    issued_on   date not null,
    valid_to    date not null check (valid_to >= issued_on),
    at          timestamptz not null,
    person_id   int not null,
    struck_at   timestamptz,
    struck_by   int,
    primary key (site_id, id),
    foreign key (site_id, supplier_id) references supplier (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, struck_by) references person (site_id, id)
);

-- What the frozen clocks say of a lot on the board; null for fish that never
-- was frozen.
alter table lot_board add column frost jsonb not null default 'null';

-- A thaw for an hour of service.
create table thaw_plan (
    site_id    int not null,
    id         uuid not null,
    serve_at   timestamptz not null,
    end_use    text not null check (end_use in ('cook', 'raw')),
    species    text not null,
    form       text not null,
    portions   int not null check (portions > 0),
    portion_kg double precision not null check (portion_kg > 0),
    created_at timestamptz not null,
    person_id  int not null,
    closed_at  timestamptz,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on thaw_plan (site_id, serve_at) where closed_at is null;

-- Which lot, or part of it, is thawed for it, and how. lot_id is what is
-- pulled: the part, once it was parted off.
create table thaw_line (
    site_id   int not null,
    plan_id   uuid not null,
    n         int not null,
    lot_id    uuid not null,
    pieces    int not null check (pieces > 0),
    kg        double precision not null check (kg > 0),
    method    text not null,
    medium_c  double precision not null,
    start_c   double precision not null,
    from_at   timestamptz,
    shape     text not null,
    mm        double precision not null,
    one_face  boolean not null,
    sealed    boolean not null,
    pulled_at timestamptz,
    thawed_at timestamptz,
    ended_at  timestamptz,
    primary key (site_id, plan_id, n),
    foreign key (site_id, plan_id) references thaw_plan (site_id, id),
    foreign key (site_id, lot_id) references lot (site_id, id)
);
create index on thaw_line (site_id, lot_id);

-- What is to be done for it, and what was.
create table thaw_step (
    site_id   int not null,
    plan_id   uuid not null,
    n         int not null,
    seq       int not null,
    step      text not null,
    at        timestamptz not null,
    doing     text not null,
    why       text not null,
    core      boolean not null,
    done_at   timestamptz,
    person_id int,
    core_c    double precision,
    primary key (site_id, plan_id, n, seq),
    foreign key (site_id, plan_id, n) references thaw_line (site_id, plan_id, n),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- +goose Down
drop table thaw_step, thaw_line, thaw_plan;
alter table lot_board drop column frost;
drop table parasite_letter;
alter table site drop column thaw_school;
alter table place drop column cooling, drop column power_w;
