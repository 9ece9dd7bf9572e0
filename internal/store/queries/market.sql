-- name: AddLook :exec
insert into market_look (site_id, id, looked_at, person_id, data) values ($1, $2, $3, $4, $5) on conflict do nothing;

-- name: LooksSince :many
select * from market_look where site_id = $1 and looked_at >= $2 order by looked_at desc;

-- name: Look :one
select * from market_look where site_id = $1 and id = $2;

-- name: LookBought :exec
update market_look set lot_id = $3 where site_id = $1 and id = $2 and lot_id is null;

-- name: BoatsStayIn :exec
insert into boats_in (site_id, id, area, from_at, person_id) values ($1, $2, $3, $4, $5) on conflict do nothing;

-- name: BoatsOutAgain :execrows
update boats_in set to_at = @at where site_id = $1 and id = $2 and to_at is null;

-- name: BoatsNotIn :execrows
update boats_in set to_at = from_at where site_id = $1 and id = $2;

-- name: BoatsIn :many
select * from boats_in where site_id = $1 and (to_at is null or to_at >= @since and to_at > from_at)
order by from_at desc limit 50;

-- name: LastBoatsIn :one
select area from boats_in where site_id = $1 order by from_at desc limit 1;
