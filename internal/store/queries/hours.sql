-- name: ProbesWithStaleHours :many
select p.* from probe p join stale_hours s on s.site_id = p.site_id and s.probe_id = p.id order by p.site_id, p.id;

-- name: ReadingSpan :many
-- The first and the last reading that is kept of a probe; no row where none is.
select min(at)::timestamptz as first, max(at)::timestamptz as last from reading where site_id = $1 and probe_id = $2 having count(*) > 0;

-- name: HoursRolledUp :exec
delete from stale_hours where site_id = $1 and probe_id = $2;
