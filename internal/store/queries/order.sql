-- name: AddOrder :exec
insert into purchase_order (site_id, id, supplier_id, placed_at, person_id, deliver_at) values ($1, $2, $3, $4, $5, $6) on conflict do nothing;

-- name: AddOrderLine :exec
insert into purchase_line (site_id, order_id, line, species, form, count, weight_kg, off, fee_cents, note, price_cents, price_for,
    service_id, dish_id, plates)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15) on conflict do nothing;

-- name: OpenOrders :many
select o.*, s.name as supplier from purchase_order o
join supplier s on s.site_id = o.site_id and s.id = o.supplier_id
where o.site_id = $1 and o.received_docket is null and o.cancelled_at is null order by coalesce(o.deliver_at, o.placed_at);

-- name: OrderLines :many
select * from purchase_line where site_id = $1 and order_id = any(@orders::uuid[]) order by order_id, line;

-- name: OrderCame :exec
update purchase_order set received_docket = $3 where site_id = $1 and id = $2 and received_docket is null;

-- name: SetWage :exec
update site set wage_cents = $2 where id = $1;

-- name: OrderOfDocket :many
select o.id, o.placed_at, s.name as supplier from purchase_order o
join supplier s on s.site_id = o.site_id and s.id = o.supplier_id
where o.site_id = $1 and o.received_docket = $2;

-- name: Orders :many
-- The last first.
select o.*, s.name as supplier, p.name as person from purchase_order o
join supplier s on s.site_id = o.site_id and s.id = o.supplier_id
join person p on p.site_id = o.site_id and p.id = o.person_id
where o.site_id = $1 and o.placed_at >= @since order by o.placed_at desc limit 200;

-- name: Order :one
select o.*, s.name as supplier, p.name as person from purchase_order o
join supplier s on s.site_id = o.site_id and s.id = o.supplier_id
join person p on p.site_id = o.site_id and p.id = o.person_id
where o.site_id = $1 and o.id = $2;

-- name: CancelOrder :execrows
update purchase_order set cancelled_at = $3 where site_id = $1 and id = $2 and cancelled_at is null and received_docket is null;

-- name: OrderSent :exec
update purchase_order set sent_at = $3 where site_id = $1 and id = $2 and sent_at is null;

-- name: SupplierPrices :many
-- What lots of a supplier, by species and form, cost a kilogram and weigh a fish, as medians; how many came, and how many went back.
select b.supplier_id, s.name as supplier, b.species, b.form, b.frozen,
    coalesce(percentile_cont(0.5) within group (order by b.cost_cents / b.weight_kg) filter (where b.cost_cents > 0), 0)::float8 as cents_per_kg,
    (percentile_cont(0.5) within group (order by b.weight_kg / greatest(b.count, 1)))::float8 as fish_kg,
    count(*) as lots, count(*) filter (where b.status = 'refused') as refused, max(b.received_at)::timestamptz as last_at,
    coalesce(max(x.box_kg), 0)::float8 as box_kg
from lot_board b join supplier s on s.site_id = b.site_id and s.id = b.supplier_id
left join supplier_box x on x.site_id = b.site_id and x.supplier_id = b.supplier_id and x.species = b.species and x.form = b.form
where b.site_id = $1 and not b.part and b.status <> 'cancelled' and b.weight_kg > 0 and b.received_at >= @since
group by b.supplier_id, s.name, b.species, b.form, b.frozen order by s.name, b.species, b.form;

-- name: SetDeliveries :execrows
update supplier set deliver_days = $3, arrives = $4, order_by = $5, order_days = $6 where site_id = $1 and id = $2;

-- name: PutSupplierBox :exec
insert into supplier_box (site_id, supplier_id, species, form, box_kg) values ($1, $2, $3, $4, $5);

-- name: DropSupplierBox :exec
delete from supplier_box where site_id = $1 and supplier_id = $2 and species = $3 and form = $4;

-- name: PlatesOnOrder :many
-- By service and dish, of orders that are still to come.
select l.service_id::uuid as service_id, l.dish_id::uuid as dish_id, sum(l.plates)::int as plates, min(o.deliver_at)::timestamptz as deliver_at
from purchase_line l join purchase_order o on o.site_id = l.site_id and o.id = l.order_id
where l.site_id = $1 and l.service_id = any(@services::uuid[]) and o.received_docket is null and o.cancelled_at is null
    and o.deliver_at is not null
group by l.service_id, l.dish_id;
