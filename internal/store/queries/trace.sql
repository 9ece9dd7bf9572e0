-- name: LotsAfter :many
-- What fish of some lots became, with these themselves: parts that were split or cut off, and lots that they were put with.
with recursive after (id) as (
    select unnest(@lots::uuid[])
    union
    select l.to_lot from after a join lot_link l on l.site_id = @site_id and l.from_lot = a.id
)
select id::uuid as id from after;

-- name: LotsBefore :many
-- What the fish of some lots was, with these themselves.
with recursive before (id) as (
    select unnest(@lots::uuid[])
    union
    select l.from_lot from before b join lot_link l on l.site_id = @site_id and l.to_lot = b.id
)
select id::uuid as id from before;

-- name: LotLinks :many
-- How some lots follow from each other.
select from_lot, to_lot, at, together from lot_link where site_id = $1 and from_lot = any(@lots::uuid[]) and to_lot = any(@lots::uuid[])
order by at, to_lot;

-- name: AddLinks :exec
insert into lot_link (site_id, from_lot, to_lot, at, together)
select @site_id, unnest(@froms::uuid[]), unnest(@tos::uuid[]), unnest(@ats::timestamptz[]), unnest(@togethers::boolean[])
on conflict do nothing;

-- name: DeleteTrace :exec
-- Of all lots of a site, before it is made again.
with links as (delete from lot_link where lot_link.site_id = $1)
delete from lot_stay where lot_stay.site_id = $1;

-- name: LotsOfSupplierLot :many
select lot_id from lot_board where site_id = $1 and supplier_lot = @supplier_lot;

-- name: LotsOfSpecies :many
select b.lot_id from lot_board b where b.site_id = $1 and b.species = $2 and b.received_at >= @from_at and b.received_at < @to_at and not b.part;

-- name: LotsCaught :many
-- Lots whose catch is on record and that were caught, or came, in a span of time.
select lot_id from lot_board
where site_id = $1 and caught_at is not null
    and (caught_at >= @from_at::timestamptz and caught_at < @to_at::timestamptz or received_at >= @from_at and received_at < @to_at);

-- name: LotsOfPlace :many
select distinct lot_id from lot_stay where site_id = $1 and place_id = $2 and to_at > @from_at and from_at < @to_at;

-- name: BoardOfLots :many
select * from lot_board where site_id = $1 and lot_id = any(@lots::uuid[]) order by received_at, part, code;

-- name: DeliveriesOfLots :many
select l.id as lot_id, s.name as supplier, d.reference from lot l
join docket d on d.site_id = l.site_id and d.id = l.docket_id
join supplier s on s.site_id = d.site_id and s.id = d.supplier_id
where l.site_id = $1 and l.id = any(@lots::uuid[]);

-- name: ServicesOfLots :many
-- The services that something of a lot was reserved for.
select r.lot_id, r.plates, r.put_up_at, s.id as service_id, s.at, s.closed_at, d.name as dish from reservation r
join service s on s.site_id = r.site_id and s.id = r.service_id
join dish d on d.site_id = r.site_id and d.id = r.dish_id
where r.site_id = $1 and r.lot_id = any(@lots::uuid[]) order by s.at, d.name;

-- name: TransfersOfLots :many
select * from transfer where site_id = $1 and lot_id = any(@lots::uuid[]) and side in ('sends', 'receives');

-- name: AddRecall :execrows
insert into recall (site_id, id, at, person_id, drill, reason, asked, lots) values ($1, $2, $3, $4, $5, $6, $7, $8)
on conflict do nothing;

-- name: RecallHeld :execrows
update recall set held = $3 where site_id = $1 and id = $2;

-- name: RecallDone :execrows
update recall set done_at = coalesce(done_at, $3) where site_id = $1 and id = $2;

-- name: Recall :one
select r.*, p.name as person from recall r join person p on p.site_id = r.site_id and p.id = r.person_id where r.site_id = $1 and r.id = $2;

-- name: Recalls :many
select r.*, p.name as person from recall r join person p on p.site_id = r.site_id and p.id = r.person_id where r.site_id = $1
order by r.at desc limit 100;

-- name: LotsTouched :many
-- Lots to which something happened in a span. Their ids are in the order in which they were made.
select distinct lot_id from lot_event where site_id = $1 and happened_at >= @from_at and happened_at < @to_at order by lot_id;
