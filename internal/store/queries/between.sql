-- name: PutNeighbours :exec
-- The kitchens that share an owner's account.
with pairs as (
    select distinct p.site_id, o.site_id as other_site, s.name from person p
    join person o on o.account_id = p.account_id and o.site_id <> p.site_id and o.role = 'owner' and o.left_at is null
    join site s on s.id = o.site_id
    where p.role = 'owner' and p.left_at is null
), gone as (
    delete from neighbour n where not exists (select from pairs p where p.site_id = n.site_id and p.other_site = n.other_site)
)
insert into neighbour (site_id, other_site, name) select * from pairs
on conflict (site_id, other_site) do update set name = excluded.name where neighbour.name <> excluded.name;

-- name: PutSpare :execrows
-- Brings what the kitchens of an owner could spare each other up to date; counts what changed.
with now as (
    select n.site_id, n.other_site as from_site, b.lot_id, b.code, b.species, b.form, b.count::int as count, b.weight_kg as kg, b.cost_cents as cents,
        b.outlook, b.as_of
    from neighbour n join lot_board b on b.site_id = n.other_site
    where b.status = 'on hand' and b.hold = '' and not b.frozen
        and not exists (select from reservation r join service s on s.site_id = r.site_id and s.id = r.service_id
            where r.site_id = b.site_id and r.lot_id = b.lot_id and s.closed_at is null)
), gone as (
    delete from spare s where not exists (select from now n where n.site_id = s.site_id and n.from_site = s.from_site and n.lot_id = s.lot_id)
)
insert into spare (site_id, from_site, lot_id, code, species, form, count, kg, cents, outlook, as_of) select * from now
on conflict (site_id, from_site, lot_id) do update set code = excluded.code, species = excluded.species, form = excluded.form,
    count = excluded.count, kg = excluded.kg, cents = excluded.cents, outlook = excluded.outlook, as_of = excluded.as_of
where (spare.form, spare.count, spare.kg, spare.outlook) is distinct from (excluded.form, excluded.count, excluded.kg, excluded.outlook);

-- name: Spares :many
select s.*, n.name as from_name from spare s join neighbour n on n.site_id = s.site_id and n.other_site = s.from_site where s.site_id = $1;

-- name: Neighbours :many
select * from neighbour where site_id = $1 order by name;

-- name: AddTransfer :execrows
insert into transfer (site_id, id, side, other_site, other_name, lot_id, other_lot, code, species, form, count, kg, plates, service_id, dish_id,
    event_id, serve_at, at, person, delivered_at, note)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21)
on conflict do nothing;

-- name: Untold :many
-- What the other kitchen is to be told: what is asked for, what was sent, and what was declined.
select site_id, id, side from transfer
where delivered_at is null and (side in ('asks', 'sends', 'recalls') and failed = '' or side = 'asked' and failed <> '')
order by at;

-- name: TakeTransfer :many
-- One to be told, by one process alone.
select * from transfer where site_id = $1 and id = $2 and side = $3 and delivered_at is null for update skip locked;

-- name: TransferDelivered :exec
update transfer set delivered_at = $4, other_lot = $5 where site_id = $1 and id = $2 and side = $3;

-- name: TransferFailed :exec
update transfer set failed = $4, done_at = $5, delivered_at = $6 where site_id = $1 and id = $2 and side = $3;

-- name: TransferDone :execrows
update transfer set done_at = $4 where site_id = $1 and id = $2 and side = $3 and done_at is null;

-- name: Transfers :many
-- Those that are open, and of the last days.
select * from transfer where site_id = $1 and (done_at is null or at >= @since) order by at desc limit 100;

-- name: Transfer :one
select * from transfer where site_id = $1 and id = $2 and side = $3;

-- name: PlatesOnTheWay :many
-- By service and dish, that another kitchen is asked for, or has sent.
select service_id::uuid as service_id, dish_id::uuid as dish_id, sum(plates)::int as plates from transfer
where site_id = $1 and service_id = any(@services::uuid[]) and side in ('asks', 'receives') and done_at is null and failed = ''
group by service_id, dish_id;

-- name: TransferOfLot :one
select * from transfer where site_id = $1 and lot_id = @lot_id and side = 'receives';

-- name: PlaceCopy :one
select place_id from place_copy where site_id = $1 and from_site = $2 and from_place = $3 and way = $4;

-- name: AddPlaceCopy :exec
insert into place_copy (site_id, from_site, from_place, way, place_id) values ($1, $2, $3, $4, $5);

-- name: CopyPlace :one
-- A place of one site as a place of another, which is listed nowhere.
insert into place (site_id, name, kind, set_c, position, air, capacity_kg, holds, plan_col, plan_level, cooling, air_speed_ms, power_w, warm_c, cold_c,
    delay_minutes, box_length_mm, box_width_mm, box_height_mm, wall_mm, wall_w_mk, outside_c, box_outside_h, elsewhere)
select @to_site, @name, kind, set_c, 9999, air, null, holds, 0, 0, cooling, air_speed_ms, power_w, warm_c, cold_c,
    delay_minutes, box_length_mm, box_width_mm, box_height_mm, wall_mm, wall_w_mk, outside_c, box_outside_h, true
from place p where p.site_id = @from_site and p.id = @place_id
returning id;

-- name: AddWay :one
insert into place (site_id, name, kind, set_c, position, air, holds, plan_col, plan_level, elsewhere)
values ($1, $2, $3, $4, 9999, true, 'none', 0, 0, true) returning id;

-- name: ProbeCopy :one
select probe_id from probe_copy where site_id = $1 and from_site = $2 and from_probe = $3;

-- name: AddProbeCopy :exec
insert into probe_copy (site_id, from_site, from_probe, probe_id) values ($1, $2, $3, $4);

-- name: CopyProbe :one
insert into probe (site_id, name, kind, interval_s, elsewhere) values ($1, $2, $3, $4, true) returning *;

-- name: StaysWithin :many
select * from probe_stay where site_id = $1 and place_id = any(@places::int[]) and from_at < @to_at and to_at > @from_at;

-- name: AddStayWithin :exec
insert into probe_stay (site_id, probe_id, place_id, from_at, to_at) values ($1, $2, $3, $4, $5) on conflict do nothing;

-- name: CopyIce :exec
insert into ice_log (site_id, id, place_id, at, recorded_at, person_id, kind, kg)
select @to_site, gen_random_uuid(), @to_place, i.at, i.recorded_at, @person_id, i.kind, i.kg from ice_log i
where i.site_id = @from_site and i.place_id = @from_place and i.at between @from_at and @to_at
    and not exists (select from ice_log x where x.site_id = @to_site and x.place_id = @to_place and x.at = i.at and x.kind = i.kind);

-- name: ReadingsCopied :many
select at, celsius from reading where site_id = $1 and probe_id = $2 and at between @from_at and @to_at order by at;

-- name: LettersOf :many
select * from parasite_letter where site_id = $1 and supplier_id = $2 and species = $3 and struck_at is null;

-- name: ChecksOfProbe :many
select * from probe_check where site_id = $1 and probe_id = $2;

-- name: OwnerOf :one
-- Who stands for a kitchen where another one of the same owner writes into it.
select p.* from person p where p.site_id = $1 and p.left_at is null and p.role in ('owner', 'manager') order by p.role = 'owner' desc, p.id limit 1;
