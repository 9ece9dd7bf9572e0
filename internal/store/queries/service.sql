-- name: PutDish :exec
insert into dish (site_id, id, name, species, part, pieces, piece_g, fish_lo_g, fish_hi_g, raw, aged, salt_minutes, cut_minutes,
    station_id, put_up_minutes, price_cents)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)
on conflict (site_id, id) do update set name = excluded.name, species = excluded.species, part = excluded.part, pieces = excluded.pieces,
    piece_g = excluded.piece_g, fish_lo_g = excluded.fish_lo_g, fish_hi_g = excluded.fish_hi_g, raw = excluded.raw, aged = excluded.aged,
    salt_minutes = excluded.salt_minutes, cut_minutes = excluded.cut_minutes, station_id = excluded.station_id,
    put_up_minutes = excluded.put_up_minutes, price_cents = excluded.price_cents;

-- name: Dishes :many
select * from dish where site_id = $1 and retired_at is null order by name;

-- name: Dish :one
select * from dish where site_id = $1 and id = $2;

-- name: RetireDish :execrows
update dish set retired_at = $3 where site_id = $1 and id = $2 and retired_at is null;

-- name: AddService :execrows
insert into service (site_id, id, at, covers, covers_sd, level, person_id) values ($1, $2, $3, $4, $5, $6, $7)
on conflict do nothing;

-- name: SetService :execrows
update service set at = $3, covers = $4, covers_sd = $5, level = $6 where site_id = $1 and id = $2 and closed_at is null;

-- name: LockService :one
select * from service where site_id = $1 and id = $2 for update;

-- name: Service :one
select * from service where site_id = $1 and id = $2;

-- name: OpenServices :many
-- That are to come, and those of before that nobody closed yet, since a time.
select * from service where site_id = $1 and closed_at is null and at >= @since order by at;

-- name: PastServices :many
select * from service where site_id = $1 and closed_at is not null and at >= @since order by at desc;

-- name: CloseService :exec
update service set came = $3, closed_at = $4 where site_id = $1 and id = $2;

-- name: DropService :exec
delete from service where site_id = $1 and id = $2 and closed_at is null;

-- name: PutServiceDish :exec
insert into service_dish (site_id, service_id, dish_id, n, plates, share) values ($1, $2, $3, $4, $5, $6)
on conflict (site_id, service_id, dish_id) do update set n = excluded.n, plates = excluded.plates, share = excluded.share;

-- name: DropServiceDish :exec
delete from service_dish where site_id = $1 and service_id = $2 and dish_id = $3;

-- name: ServiceDishes :many
select s.*, d.name, d.species, d.part, d.pieces, d.piece_g, d.fish_lo_g, d.fish_hi_g, d.raw, d.aged, d.salt_minutes, d.cut_minutes,
    d.station_id, d.put_up_minutes, d.price_cents
from service_dish s join dish d on d.site_id = s.site_id and d.id = s.dish_id
where s.site_id = $1 and s.service_id = any(@services::uuid[]) order by s.service_id, s.n;

-- name: SetPlates :exec
update service_dish set plates = $4 where site_id = $1 and service_id = $2 and dish_id = $3;

-- name: SetPutUp :exec
update service_dish set put_up = $4 where site_id = $1 and service_id = $2 and dish_id = $3;

-- name: SetCooked :execrows
update service_dish set core_c = $4, core_at = $5 where site_id = $1 and service_id = $2 and dish_id = $3;

-- name: SetSold :exec
update service_dish set sold = $4, left_over = $5, wasted = $6, used_kg = $7 where site_id = $1 and service_id = $2 and dish_id = $3;

-- name: PutReservation :exec
insert into reservation (site_id, service_id, dish_id, lot_id, plates, kg, put_up_at, against) values ($1, $2, $3, $4, $5, $6, $7, $8)
on conflict (site_id, service_id, dish_id, lot_id) do update set plates = excluded.plates, kg = excluded.kg,
    put_up_at = excluded.put_up_at, against = excluded.against;

-- name: Reservations :many
select * from reservation where site_id = $1 and service_id = any(@services::uuid[]);

-- name: ReservationsOfLots :many
-- Those of services that nobody closed, the soonest first.
select r.*, s.at, d.name as dish, d.raw, d.aged, d.station_id, d.put_up_minutes, d.part
from reservation r
join service s on s.site_id = r.site_id and s.id = r.service_id
join dish d on d.site_id = r.site_id and d.id = r.dish_id
where r.site_id = $1 and r.lot_id = any(@lots::uuid[]) and s.closed_at is null
order by s.at, r.dish_id, r.lot_id;

-- name: OpenReservations :many
select r.*, s.at, d.name as dish
from reservation r
join service s on s.site_id = r.site_id and s.id = r.service_id
join dish d on d.site_id = r.site_id and d.id = r.dish_id
where r.site_id = $1 and s.closed_at is null and s.at >= @since
order by s.at, d.name;

-- name: SetAgainst :exec
update reservation set against = $5 where site_id = $1 and service_id = $2 and dish_id = $3 and lot_id = $4;

-- name: DropReservation :exec
delete from reservation where site_id = $1 and service_id = $2 and dish_id = $3 and lot_id = $4;

-- name: DropReservations :exec
delete from reservation where site_id = $1 and service_id = $2 and dish_id = $3;
