-- name: Places :many
select * from place where site_id = $1 and not elsewhere order by position, id;

-- name: AllPlaces :many
-- Those that stand for places of other kitchens too.
select * from place where site_id = $1 order by position, id;

-- name: AddPlace :one
insert into place (site_id, name, kind, set_c, position, air, capacity_kg, holds, plan_col, plan_level)
values ($1, $2, $3, $4, (select coalesce(max(p.position), 0) + 1 from place p where p.site_id = $1), $5, $6, $7, $8, $9)
returning id;

-- name: SetPlace :exec
update place set name = $3, set_c = $4, air = $5, capacity_kg = $6, holds = $7, warm_c = $8, cold_c = $9, delay_minutes = $10
where site_id = $1 and id = $2;

-- name: SetPlan :exec
update place set plan_col = $3, plan_level = $4 where site_id = $1 and id = $2;

-- name: LockPlace :one
select * from place where site_id = $1 and id = $2 for no key update;

-- name: MarkPlaceStale :exec
insert into stale_place (site_id, place_id, from_at) values ($1, $2, $3)
on conflict (site_id, place_id) do update set from_at = least(stale_place.from_at, excluded.from_at);

-- name: MarkSilentPlaces :exec
insert into stale_place (site_id, place_id, from_at)
select s.site_id, s.place_id, min(p.last_at) from probe p
join probe_stay s on s.site_id = p.site_id and s.probe_id = p.id
where p.kind = 'fixed' and p.last_at < sqlc.arg(silent_before)::timestamptz and p.last_at + p.interval_s * sqlc.arg(gaps)::int * interval '1 second' < s.to_at
  and p.last_at + p.interval_s * sqlc.arg(gaps)::int * interval '1 second' < sqlc.arg(now)::timestamptz and s.to_at > sqlc.arg(now)::timestamptz
  and not exists (select from alarm a where a.site_id = p.site_id and a.probe_id = p.id and a.kind = 'silent' and a.ended_at is null)
group by s.site_id, s.place_id
on conflict do nothing;

-- name: TakeStalePlaces :many
delete from stale_place d where (d.site_id, d.place_id) in (
    select s.site_id, s.place_id from stale_place s order by s.site_id, s.place_id limit $1 for update skip locked)
returning d.*;

-- name: AddPlacesCheck :execrows
insert into places_check (site_id, id, kind, at, recorded_at, person_id) values ($1, $2, $3, $4, $5, $6) on conflict do nothing;

-- name: AddPlacesCheckLine :exec
insert into places_check_line (site_id, check_id, place_id, celsius, maximum_c, ice, all_here) values ($1, $2, $3, $4, $5, $6, $7);

-- name: PlacesChecks :many
select c.id, c.kind, c.at, c.recorded_at, p.name as person from places_check c
join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 and c.at >= @since order by c.at;
