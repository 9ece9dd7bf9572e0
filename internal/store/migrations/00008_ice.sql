-- +goose Up

-- What a place is, where it is a box or tote with walls: inside in mm, the
-- walls, and the air around it. All or none.
alter table place
    add column box_length_mm double precision,
    add column box_width_mm  double precision,
    add column box_height_mm double precision,
    add column wall_mm       double precision,
    add column wall_w_mk     double precision,
    add column outside_c     double precision,
    add constraint box_whole check (num_nulls(box_length_mm, box_width_mm, box_height_mm, wall_mm, wall_w_mk, outside_c) in (0, 6));

-- The ice in a box: found (so much was there), added, or melted by warm fish
-- that was put in by event_id.
create table ice_log (
    site_id     int not null,
    id          uuid not null,
    place_id    int not null,
    at          timestamptz not null,
    recorded_at timestamptz not null,
    person_id   int not null,
    kind        text not null check (kind in ('found', 'added', 'melted')),
    kg          double precision not null check (kg >= 0),
    event_id    uuid,
    primary key (site_id, id),
    foreign key (site_id, place_id) references place (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on ice_log (site_id, at);

-- The histamine clock on the board: its state, '' for other species, and the
-- share of the budget that is used most.
alter table lot_board
    add column histamine       text not null default '',
    add column histamine_share double precision not null default 0;

-- +goose Down
alter table lot_board drop column histamine, drop column histamine_share;
drop table ice_log;
alter table place drop constraint box_whole, drop column box_length_mm, drop column box_width_mm, drop column box_height_mm,
    drop column wall_mm, drop column wall_w_mk, drop column outside_c;
