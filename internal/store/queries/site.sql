-- name: Sites :many
select * from site order by id;

-- name: SiteBySlug :one
select * from site where slug = $1;

-- name: SiteByID :one
select * from site where id = $1;

-- name: AddSite :one
insert into site (slug, name, time_zone, profile, transport_c, service_hours, check_hours)
values ($1, $2, $3, $4, $5, $6, coalesce(@check_hours::text[], '{}')) returning *;

-- name: TakeLotNumber :one
update site set next_lot = next_lot + 1 where id = $1 returning next_lot - 1 as number;

-- name: SetBench :exec
update site set bench_policies = $2, cost_by = $3 where id = $1;

-- name: SetParCook :exec
update site set par_cook_by = $2, par_cook_at = $3 where id = $1;

-- name: SetPrinter :exec
update site set printer = $2, label_media = $3 where id = $1;

-- name: SetSettings :exec
update site set name = $2, time_zone = $3, currency = $4, service_hours = $5, check_hours = $6 where id = $1;

-- name: LastReading :many
-- What probes last read, since a time: one row, or none.
select at, celsius from reading
where site_id = $1 and probe_id = any(@probes::bigint[]) and at >= @since order by at desc limit 1;

-- name: SetProfile :exec
update site set profile = $2 where id = $1;

-- name: Suppliers :many
select * from supplier where site_id = $1 order by name;

-- name: AddSupplier :one
insert into supplier (site_id, name) values ($1, $2)
on conflict (site_id, name) do update set name = excluded.name returning *;

-- name: Version :one
select version from site_version where site_id = $1;

-- name: BumpVersion :exec
insert into site_version (site_id, version) values ($1, 1)
on conflict (site_id) do update set version = site_version.version + 1;

-- name: SetSupplierKind :execrows
update supplier set kind = $3, approval = $4, approved_to = $5 where site_id = $1 and id = $2;

-- name: Supplier :one
select * from supplier where site_id = $1 and id = $2;

-- name: SupplierCounts :many
select s.id, s.name, count(b.lot_id) filter (where not b.part) as lots, count(b.lot_id) filter (where b.status = 'refused') as refused
from supplier s left join lot_board b on b.site_id = s.site_id and b.supplier_id = s.id and b.status <> 'cancelled'
where s.site_id = $1 group by s.site_id, s.id, s.name order by s.name;

-- name: SetQuiet :exec
update site set quiet_from = $2, quiet_to = $3, altitude_m = $4, check_days = $5 where id = $1;
