-- name: DeleteCuts :exec
delete from lot_cut where site_id = $1 and lot_id = any(@lots::uuid[]);

-- name: AddCut :exec
insert into lot_cut (site_id, event_id, lot_id, at, species, form, supplier_id, cutter_id, count, kg, cents, minutes, parts)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13);

-- name: CutsSince :many
-- The last first.
select sqlc.embed(c), b.code from lot_cut c
join lot_board b on b.site_id = c.site_id and b.lot_id = c.lot_id
where c.site_id = $1 and c.at >= $2 order by c.at desc, c.event_id;

-- name: CutsOfSpecies :many
select * from lot_cut where site_id = $1 and species = $2 and form = $3 and at >= @since and at < @before order by at;

-- name: AddCleanDown :exec
insert into clean_down (site_id, id, at, person_id) values ($1, $2, $3, $4) on conflict do nothing;

-- name: LastCleanDown :many
-- One row, or none.
select c.at, p.name as person from clean_down c join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 order by c.at desc limit 1;

-- name: Worth :one
select coalesce(sum(weight_kg), 0)::float8 as kg, coalesce(sum(cost_cents), 0)::float8 as cents,
    coalesce(sum(weight_kg) filter (where cost_cents > 0), 0)::float8 as priced_kg
from lot_board where site_id = $1 and status = 'on hand';

-- name: AddTraining :exec
insert into training (site_id, id, card, person_id, shown_by, at) values ($1, $2, $3, $4, $5, $6) on conflict do nothing;

-- name: Training :many
-- The last first.
select * from training where site_id = $1 order by at desc;

-- name: AddCardPhoto :exec
insert into card_photo (site_id, id, card, step, photo_id, person_id, at) values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing;

-- name: HasCardPhoto :one
select exists(select from card_photo where site_id = $1 and id = $2);

-- name: CardPhotos :many
-- The last of each step.
select distinct on (step) step, photo_id from card_photo where site_id = $1 and card = $2 order by step, at desc, id desc;
