-- name: AddDocket :exec
insert into docket (site_id, id, supplier_id, reference, arrived_at, recorded_at, person_id)
values ($1, $2, $3, $4, $5, $6, $7);

-- name: Docket :one
select d.*, s.name as supplier from docket d
join supplier s on s.site_id = d.site_id and s.id = d.supplier_id
where d.site_id = $1 and d.id = $2;

-- name: DocketsSince :many
-- With the lots that came in, whatever they were split into since; without what other kitchens sent.
select d.*, s.name as supplier, p.name as person, count(l.id) filter (where not b.part) as lots
from docket d
join supplier s on s.site_id = d.site_id and s.id = d.supplier_id
join person p on p.site_id = d.site_id and p.id = d.person_id
left join lot l on l.site_id = d.site_id and l.docket_id = d.id
left join lot_board b on b.site_id = l.site_id and b.lot_id = l.id
where d.site_id = $1 and d.arrived_at >= $2
    and not exists (select from transfer t join lot x on x.site_id = t.site_id and x.id = t.lot_id
        where t.side = 'receives' and x.site_id = d.site_id and x.docket_id = d.id)
group by d.site_id, d.id, s.name, p.name
order by d.arrived_at desc;

-- name: AddLot :exec
insert into lot (site_id, id, code, docket_id, head_seq, head_hash) values ($1, $2, $3, $4, 0, '');

-- name: LockLots :many
-- In one order, so that two who change the same lots never wait for each other.
-- Something may be reserved of them.
select sqlc.embed(l), exists (select from reservation r where r.site_id = l.site_id and r.lot_id = l.id) as reserved
from lot l where l.site_id = $1 and l.id = any(@lots::uuid[]) order by l.id for update of l;

-- name: AddEvent :exec
-- At the head of its lot, which the transaction has locked.
with head as (
    update lot set head_seq = @seq, head_hash = @hash where site_id = @site_id and id = @lot_id
)
insert into lot_event (site_id, lot_id, seq, id, kind, happened_at, recorded_at, person_id, approver_id, data, prev_hash, hash)
values (@site_id, @lot_id, @seq, @id, @kind, @happened_at, @recorded_at, @person_id, @approver_id, @data, @prev_hash, @hash);

-- name: EventsByID :many
select * from lot_event where site_id = $1 and id = any(@ids::uuid[]);

-- name: EventsOfLots :many
select * from lot_event where site_id = $1 and lot_id = any(@lots::uuid[]) order by lot_id, seq;

-- name: LotsWithEvents :many
-- Lots to which one of some kinds of event happened since.
select distinct lot_id from lot_event where site_id = $1 and happened_at >= $2 and kind = any(@kinds::text[]);

-- name: LotHeads :many
select id, head_seq, head_hash from lot where site_id = $1 order by id;

-- name: EventHash :one
select hash from lot_event where site_id = $1 and lot_id = $2 and seq = $3;

-- name: LotIDs :many
select id from lot where site_id = $1 order by id;

-- name: PutBoard :execrows
-- None where the row is of later events already: it was made by somebody quicker.
insert into lot_board (site_id, lot_id, seq, code, status, hold, species, form, frozen, count, weight_kg, supplier_id, docket_id,
    place_id, received_at, decision, as_of, basis, used_days, sd_days, left_days, shelf_days, gap, now_c, now_kind, rate, stops, uses, due,
    part, core_c, gap_days, rework_minutes, rework_cents, refused_for, claims, histamine, histamine_share, oxygen, oxygen_share, pack, frost, aged, outlook,
    cost_cents, supplier_lot, caught_at, written)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23, $24, $25, $26, $27, $28, $29,
    $30, $31, $32, $33, $34, $35, $36, $37, $38, $39, $40, $41, $42, $43, $44, $45, $46, $47, pg_current_xact_id()::text::bigint)
on conflict (site_id, lot_id) do update set
    seq = excluded.seq, code = excluded.code, status = excluded.status, hold = excluded.hold, species = excluded.species, form = excluded.form,
    frozen = excluded.frozen, count = excluded.count, weight_kg = excluded.weight_kg, supplier_id = excluded.supplier_id,
    docket_id = excluded.docket_id, place_id = excluded.place_id, received_at = excluded.received_at, decision = excluded.decision,
    as_of = excluded.as_of, basis = excluded.basis, used_days = excluded.used_days, sd_days = excluded.sd_days, left_days = excluded.left_days,
    shelf_days = excluded.shelf_days, gap = excluded.gap, now_c = excluded.now_c, now_kind = excluded.now_kind, rate = excluded.rate,
    stops = excluded.stops, uses = excluded.uses, due = excluded.due, part = excluded.part, core_c = excluded.core_c,
    gap_days = excluded.gap_days, rework_minutes = excluded.rework_minutes, rework_cents = excluded.rework_cents,
    refused_for = excluded.refused_for, claims = excluded.claims,
    histamine = excluded.histamine, histamine_share = excluded.histamine_share,
    oxygen = excluded.oxygen, oxygen_share = excluded.oxygen_share, pack = excluded.pack, frost = excluded.frost,
    aged = excluded.aged, outlook = excluded.outlook, cost_cents = excluded.cost_cents,
    supplier_lot = excluded.supplier_lot, caught_at = excluded.caught_at, written = excluded.written
where lot_board.seq <= excluded.seq;

-- name: BoardOnHand :many
select * from lot_board where site_id = $1 and status = 'on hand' order by code;

-- name: BoardAlike :many
select * from lot_board where site_id = $1 and status = 'on hand' and species = $2 and form = $3 order by code;

-- name: BoardSince :many
-- The rows that transactions wrote from one on, of lots that have left too.
select * from lot_board where site_id = $1 and written >= @since order by code;

-- name: BoardMark :one
-- From which transaction on rows may be new to who reads the board now.
select pg_snapshot_xmin(pg_current_snapshot())::text::bigint as mark;

-- name: DueOnHand :many
select b.lot_id, b.code, b.species, b.due, b.docket_id, b.place_id, p.name as place, s.name as supplier from lot_board b
join place p on p.site_id = b.site_id and p.id = b.place_id
join supplier s on s.site_id = b.site_id and s.id = b.supplier_id
where b.site_id = $1 and b.status = 'on hand' and b.due <> '[]';

-- name: PlacesInUse :many
select place_id, count(*) as lots, sum(weight_kg)::float8 as kg, bool_or(histamine <> '')::bool as formers, bool_or(oxygen <> '')::bool as packed
from lot_board where site_id = $1 and status = 'on hand' group by place_id;

-- name: BoardOnDeck :many
select b.* from lot_board b join lot_event e on e.site_id = b.site_id and e.lot_id = b.lot_id and e.seq = 1
where b.site_id = $1 and b.received_at >= @since and (e.data ->> 'deck')::boolean order by b.received_at desc;

-- name: BoardLot :one
select * from lot_board where site_id = $1 and lot_id = $2;

-- name: BoardOfDocket :many
select b.* from lot_board b join lot_event e on e.site_id = b.site_id and e.lot_id = b.lot_id and e.seq = 1
where b.site_id = $1 and b.docket_id = $2 order by coalesce(e.data ->> 'line', e.data -> 'received' ->> 'line')::int, b.code;

-- name: BoardFind :many
select b.* from lot_board b join supplier s on s.site_id = b.site_id and s.id = b.supplier_id
where b.site_id = $1
  and (@query::text = '' or b.code ilike '%' || @query || '%' or s.name ilike '%' || @query || '%' or b.species = any(@species::text[]))
  and (not @on_hand::boolean or b.status = 'on hand')
  and (@after_code::text = '' or b.received_at < @after_at or b.received_at = @after_at and b.code > @after_code)
order by b.received_at desc, b.code
limit @most::int;

-- name: BoardCount :one
select count(*)::int from lot_board b join supplier s on s.site_id = b.site_id and s.id = b.supplier_id
where b.site_id = $1
  and (@query::text = '' or b.code ilike '%' || @query || '%' or s.name ilike '%' || @query || '%' or b.species = any(@species::text[]))
  and (not @on_hand::boolean or b.status = 'on hand');

-- name: DeleteBoard :exec
delete from lot_board where site_id = $1;

-- name: DeleteSources :exec
delete from lot_source where site_id = $1 and lot_id = any(@lots::uuid[]);

-- name: AddSources :exec
-- The probes that tell of lots, and the places where these lay.
with stays as (
    insert into lot_stay (site_id, lot_id, place_id, from_at, to_at)
    select @site_id, unnest(@stay_lots::uuid[]), unnest(@stay_places::bigint[]), unnest(@stay_froms::timestamptz[]), unnest(@stay_tos::timestamptz[])
    on conflict (site_id, lot_id, place_id, from_at) do update set to_at = excluded.to_at where lot_stay.to_at <> excluded.to_at
)
insert into lot_source (site_id, probe_id, lot_id, from_at, to_at)
select @site_id, unnest(@probes::bigint[]), unnest(@lots::uuid[]), unnest(@froms::timestamptz[]), unnest(@tos::timestamptz[])
on conflict do nothing;

-- name: LotsOfProbe :many
select distinct lot_id from lot_source where site_id = $1 and probe_id = $2 and from_at < @to_at and to_at > @from_at;

-- name: MarkStaleByAge :execrows
insert into stale_lot (site_id, lot_id)
select b.site_id, b.lot_id from lot_board b where b.status = 'on hand' and b.as_of < @before
on conflict do nothing;

-- name: TakeStale :many
delete from stale_lot d where (d.site_id, d.lot_id) in (
    select s.site_id, s.lot_id from stale_lot s order by s.site_id, s.lot_id limit $1 for update skip locked)
returning d.*;

-- name: BoardOfProbe :many
select b.* from lot_board b
where b.site_id = $1 and exists (
    select from lot_source s, (select unnest(@froms::timestamptz[]) as from_at, unnest(@tos::timestamptz[]) as to_at) span
    where s.site_id = b.site_id and s.lot_id = b.lot_id and s.probe_id = @probe_id
        and s.from_at < span.to_at and s.to_at > span.from_at)
order by b.received_at desc, b.code limit 200;

-- name: BoardOfSpecies :many
select * from lot_board where site_id = $1 and species = $2 and decision <> '' order by received_at desc limit 500;

-- name: BoardOfSupplier :many
select * from lot_board where site_id = $1 and supplier_id = $2 and status <> 'cancelled' order by received_at limit 2000;

-- name: Vitals :one
-- What waits to be projected, and what the alarms of all sites say.
select (select count(*) from stale_lot)::int + (select count(*) from stale_place)::int as queue,
    (select count(*) from alarm where ended_at is null)::int as open_alarms,
    (select count(*) from alarm where ended_at is null and kind = 'silent')::int as silent_probes;
