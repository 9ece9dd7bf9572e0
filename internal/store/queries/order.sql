-- name: AddOrder :exec
insert into purchase_order (site_id, id, supplier_id, placed_at, person_id) values ($1, $2, $3, $4, $5) on conflict do nothing;

-- name: AddOrderLine :exec
insert into purchase_line (site_id, order_id, line, species, form, count, weight_kg, off, fee_cents, note, price_cents, price_for)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) on conflict do nothing;

-- name: OpenOrders :many
select o.*, s.name as supplier from purchase_order o
join supplier s on s.site_id = o.site_id and s.id = o.supplier_id
where o.site_id = $1 and o.received_docket is null order by o.placed_at;

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
