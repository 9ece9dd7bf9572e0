-- name: EnsureReadingMonth :exec
select ensure_reading_month($1);

-- name: ReadingsBetween :many
select at, celsius from reading
where site_id = $1 and probe_id = $2 and at >= @from_at and at < @to_at order by at;

-- name: AnyReadingBetween :one
select exists (select from reading where site_id = $1 and probe_id = $2 and at >= @from_at and at <= @to_at);

-- name: ReadingsInHours :many
select r.at, r.celsius from unnest(@hours::timestamptz[]) as h(start)
join reading r on r.site_id = $1 and r.probe_id = $2 and r.at >= h.start and r.at < h.start + interval '1 hour'
order by r.at;

-- name: DeleteHours :exec
delete from reading_hour where site_id = $1 and probe_id = $2 and hour >= @from_hour and hour <= @to_hour;

-- name: HoursBetween :many
select * from reading_hour where site_id = $1 and probe_id = $2 and hour >= @from_hour and hour < @to_hour order by hour;

-- name: HourBefore :one
select * from reading_hour where site_id = $1 and probe_id = $2 and hour < $3 and readings > 0 order by hour desc limit 1;

-- name: HourAfter :one
select * from reading_hour where site_id = $1 and probe_id = $2 and hour >= $3 and readings > 0 order by hour limit 1;

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

-- name: DropOldImports :exec
delete from import_file where created_at < $1;

-- name: KeptFrom :one
select kept_from from retention;

-- name: DropReadingsBefore :one
select drop_readings_before(@before)::int;

-- name: PutHour :exec
insert into reading_hour (site_id, probe_id, hour, readings, first_at, first_c, last_at, last_c, covered_s, temperate, warm, degree_day, min_c, max_c, above_s)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15);
