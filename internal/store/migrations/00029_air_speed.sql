-- +goose Up
-- How fast the air of a freezer or an ageing cabinet moves, where it was measured, m/s; and the surface
-- coefficient of the air around a box, W/(m²·K).
alter table place
    add column air_speed_ms  double precision check (air_speed_ms > 0 and air_speed_ms <= 20),
    add column box_outside_h double precision not null default 8 check (box_outside_h > 0);

-- +goose Down
alter table place drop column air_speed_ms, drop column box_outside_h;
