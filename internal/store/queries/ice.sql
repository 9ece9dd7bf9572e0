-- name: SetBox :exec
update place set box_length_mm = $3, box_width_mm = $4, box_height_mm = $5, wall_mm = $6, wall_w_mk = $7, outside_c = $8,
    box_outside_h = $9
where site_id = $1 and id = $2;

-- name: AddIce :exec
insert into ice_log (site_id, id, place_id, at, recorded_at, person_id, kind, kg, event_id)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict do nothing;

-- name: IceLog :many
select place_id, at, kind, kg from ice_log where site_id = $1 and at >= @since order by at, recorded_at;

-- name: DropIceOfEvent :exec
delete from ice_log where site_id = $1 and event_id = $2;
