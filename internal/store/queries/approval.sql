-- name: AddRequest :exec
insert into approval_request (site_id, id, lot_id, kind, data, happened_at, why, hold, asked_at, person_id)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10);

-- name: RequestsWaiting :many
-- Those of lots that are here and still on hold.
select r.* from approval_request r
join lot_board b on b.site_id = r.site_id and b.lot_id = r.lot_id
where r.site_id = $1 and r.answered_at is null and b.status = 'on hand' and b.hold <> '' order by r.asked_at, r.id;

-- name: RequestsOfLot :many
-- Those that wait, and those that were not approved.
select * from approval_request where site_id = $1 and lot_id = $2 and approved is not true order by asked_at, id;

-- name: RequestsByID :many
select * from approval_request where site_id = $1 and id = any(@ids::uuid[]);

-- name: AnswerRequest :execrows
update approval_request set answered_at = $3, answered_by = $4, approved = $5, reason = $6
where site_id = $1 and id = $2 and answered_at is null;

-- name: RequestsDue :many
select r.lot_id, r.asked_at, r.why, b.code, b.species from approval_request r
join lot_board b on b.site_id = r.site_id and b.lot_id = r.lot_id
where r.site_id = $1 and r.answered_at is null and b.status = 'on hand' and b.hold <> '' order by r.asked_at;

-- name: AddDeputy :exec
insert into deputy (site_id, id, person_id, from_at, to_at, named_by) values ($1, $2, $3, $4, $5, $6) on conflict do nothing;

-- name: EndDeputies :exec
update deputy set to_at = @at where site_id = $1 and to_at > @at and id <> @but;

-- name: DeputyAt :one
select sqlc.embed(p), d.to_at, m.name as named_by from deputy d
join person p on p.site_id = d.site_id and p.id = d.person_id
join person m on m.site_id = d.site_id and m.id = d.named_by
where d.site_id = $1 and d.from_at <= @at and d.to_at > @at and p.left_at is null
order by d.from_at desc limit 1;
