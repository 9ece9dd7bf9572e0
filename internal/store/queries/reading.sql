-- name: EnsureReadingMonth :exec
select ensure_reading_month($1);

-- name: ReadingsBetween :many
select at, celsius from reading
where site_id = $1 and probe_id = $2 and at >= @from_at and at < @to_at order by at;

-- name: AnyReadingBetween :one
select exists (select from reading where site_id = $1 and probe_id = $2 and at >= @from_at and at <= @to_at);

-- name: ReadingsInHours :many
-- offset 0 keeps it a few lookups: joined freely it reads whole partitions. The
-- bounds of all the hours leave out the other months before it begins.
select r.at, r.celsius from unnest(@hours::timestamptz[]) as h(start)
cross join lateral (
    select x.at, x.celsius from reading x
    where x.site_id = $1 and x.probe_id = $2 and x.at >= h.start and x.at < h.start + interval '1 hour'
        and x.at >= @from_at and x.at < @to_at offset 0) r
order by r.at;

-- name: DeleteHours :exec
delete from reading_hour where site_id = $1 and probe_id = $2 and hour >= @from_hour and hour <= @to_hour;

-- name: HoursAround :one
-- The hours of a time, with the last one before that holds readings and the
-- first one after: column by column, since a row of its own for each hour costs
-- more than all that is in it.
select array_agg(x.hour)::timestamptz[] as hour, array_agg(x.readings)::int[] as readings, array_agg(x.first_at)::timestamptz[] as first_at,
    array_agg(x.first_c)::float8[] as first_c, array_agg(x.last_at)::timestamptz[] as last_at, array_agg(x.last_c)::float8[] as last_c,
    array_agg(x.covered_s)::float8[] as covered_s, array_agg(x.temperate)::float8[] as temperate, array_agg(x.warm)::float8[] as warm, array_agg(x.mixed)::float8[] as mixed,
    array_agg(x.degree_day)::float8[] as degree_day, array_agg(x.min_c)::float8[] as min_c, array_agg(x.max_c)::float8[] as max_c,
    array_agg(x.above_s)::float8[] as above_s
from (
    (select * from reading_hour b where b.site_id = $1 and b.probe_id = $2 and b.hour < @from_hour and b.readings > 0 order by b.hour desc limit 1)
    union all
    select * from reading_hour h where h.site_id = $1 and h.probe_id = $2 and h.hour >= @from_hour and h.hour < @to_hour
    union all
    (select * from reading_hour a where a.site_id = $1 and a.probe_id = $2 and a.hour >= @to_hour and a.readings > 0 order by a.hour limit 1)) x;

-- name: AddImportFile :exec
insert into import_file (site_id, id, name, person_id, created_at) values ($1, $2, $3, $4, $5);

-- name: AddImportPiece :exec
insert into import_piece (site_id, file_id, seq, bytes) values ($1, $2, $3, $4);

-- name: ImportFile :one
select * from import_file where site_id = $1 and id = $2;

-- name: ImportPiece :one
select bytes from import_piece where site_id = $1 and file_id = $2 and seq = $3;

-- name: DropImportFile :exec
delete from import_file where site_id = $1 and id = $2;

-- name: DropImportFilesBeyond :exec
-- The oldest files of a site that are more than so many bytes with the newer ones.
with sizes as (
    select f.id, f.created_at, (select coalesce(sum(octet_length(p.bytes)), 0) from import_piece p where p.site_id = f.site_id and p.file_id = f.id) as bytes
    from import_file f where f.site_id = @site_id
), kept as (
    select id, sum(bytes) over (order by created_at desc, id desc) as bytes from sizes
)
delete from import_file f using kept where f.site_id = @site_id and f.id = kept.id and kept.bytes > @bytes::bigint;

-- name: DropOldImports :exec
delete from import_file where created_at < $1;

-- name: DropReadingsBefore :one
select drop_readings_before(@before)::int;

-- name: PutHour :exec
insert into reading_hour (site_id, probe_id, hour, readings, first_at, first_c, last_at, last_c, covered_s, temperate, warm, mixed, degree_day, min_c, max_c, above_s)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16);

-- name: HandReadings :many
-- What was read off a place's thermometer by hand, the newest first.
select r.probe_id, p.kind, r.at, r.celsius from probe p
join probe_stay s on s.site_id = p.site_id and s.probe_id = p.id
join reading r on r.site_id = p.site_id and r.probe_id = p.id and r.at >= s.from_at and r.at < coalesce(s.to_at, 'infinity')
where p.site_id = $1 and s.place_id = $2 and p.kind in ('hand', 'maximum') and r.at >= @from_at and r.at < @to_at
order by r.at desc, p.kind limit $3;

-- name: ReadingAt :one
select celsius from reading where site_id = $1 and probe_id = $2 and at = $3 for update;

-- name: SetReading :exec
update reading set celsius = $4 where site_id = $1 and probe_id = $2 and at = $3;

-- name: DropReading :exec
delete from reading where site_id = $1 and probe_id = $2 and at = $3;

-- name: AddReadingCorrection :execrows
insert into reading_correction (site_id, id, place_id, probe_id, at, was_c, celsius, reason, person_id, corrected_at)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict do nothing;

-- name: ReadingCorrections :many
select c.*, p.kind, x.name as person from reading_correction c
join probe p on p.site_id = c.site_id and p.id = c.probe_id
join person x on x.site_id = c.site_id and x.id = c.person_id
where c.site_id = $1 and c.place_id = $2 and c.at >= @from_at and c.at < @to_at order by c.at desc, c.corrected_at;
