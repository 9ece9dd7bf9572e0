-- name: AddRemark :execrows
insert into remark (site_id, id, lot_id, served_at, word, note, raw, cause, cutter_id, at, person_id)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) on conflict do nothing;

-- name: StrikeRemark :execrows
update remark set struck_at = $3, struck_by = $4 where site_id = $1 and id = $2 and struck_at is null;

-- name: Remarks :many
select r.*, p.name as person, coalesce(c.name, '')::text as cutter, b.code, b.species, b.supplier_id, s.name as supplier from remark r
join lot_board b on b.site_id = r.site_id and b.lot_id = r.lot_id
join supplier s on s.site_id = r.site_id and s.id = b.supplier_id
join person p on p.site_id = r.site_id and p.id = r.person_id
left join person c on c.site_id = r.site_id and c.id = r.cutter_id
where r.site_id = $1 and r.served_at >= @since order by r.served_at desc;

-- name: LotsServed :many
-- Of which fish went to guests since a time, the last first, then those that are still here.
select b.lot_id, b.code, b.species, b.form, s.name as supplier, max(e.happened_at)::timestamptz as last from lot_board b
join supplier s on s.site_id = b.site_id and s.id = b.supplier_id
join lot_event e on e.site_id = b.site_id and e.lot_id = b.lot_id and e.kind in ('taken', 'used', 'cooked') and e.happened_at >= @since
where b.site_id = $1 group by b.site_id, b.lot_id, b.code, b.species, b.form, s.name order by last desc limit 60;
