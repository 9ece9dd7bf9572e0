-- name: Probes :many
select * from probe where site_id = $1 and not elsewhere order by kind in ('hand', 'maximum'), id;

-- name: AllProbes :many
-- Those that stand for probes of other kitchens too.
select * from probe where site_id = $1 order by kind in ('hand', 'maximum'), id;

-- name: Probe :one
select * from probe where site_id = $1 and id = $2;

-- name: ProbeByName :one
select * from probe where site_id = $1 and name = $2;

-- name: AddProbe :one
insert into probe (site_id, name, kind, interval_s) values ($1, $2, $3, $4) returning *;

-- name: LockProbe :one
select p.*, r.kept_from from probe p, retention r where p.site_id = $1 and p.id = $2 for no key update of p;

-- name: RereadProbeLast :exec
update probe p set touched = nextval('probe_touch'), (last_at, last_c) = (
    select r.at, r.celsius from reading r where r.site_id = p.site_id and r.probe_id = p.id order by r.at desc limit 1)
where p.site_id = $1 and p.id = $2;

-- name: SetProbeClock :exec
update probe set ahead_s = $3, ahead_from = $4 where site_id = $1 and id = $2;

-- name: ProbeStays :many
select * from probe_stay where site_id = $1 order by from_at, probe_id;

-- name: EndStays :exec
update probe_stay set to_at = @at where site_id = $1 and probe_id = $2 and from_at < @at and to_at > @at;

-- name: DropStaysFrom :exec
delete from probe_stay where site_id = $1 and probe_id = $2 and from_at >= @at;

-- name: AddStay :exec
insert into probe_stay (site_id, probe_id, place_id, from_at) values ($1, $2, $3, $4);

-- name: AddProbeNote :exec
insert into probe_note (site_id, probe_id, at, person_id, text) values ($1, $2, $3, $4, $5);

-- name: LastProbeNote :one
-- When a note was last written of a probe.
select coalesce(max(at), 'epoch')::timestamptz as at from probe_note where site_id = $1 and probe_id = $2 and text = $3;

-- name: ProbeNotes :many
select n.*, coalesce(p.name, '') as person from probe_note n
left join person p on p.site_id = n.site_id and p.id = n.person_id
where n.site_id = $1 and n.probe_id = $2 order by n.at desc, n.id desc limit 50;

-- name: AddProbeCheck :exec
insert into probe_check (site_id, id, probe_id, at, person_id, method, read_c, true_c, altitude_m, offset_c, passed, note)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) on conflict do nothing;

-- name: ProbeChecks :many
select c.*, p.name as person from probe_check c
join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 order by c.at desc, c.id limit 500;

-- name: OffsetsOfProbe :many
select at, offset_c from probe_check where site_id = $1 and probe_id = $2 order by at, id;

-- name: LastChecks :many
select distinct on (probe_id) * from probe_check where site_id = $1 order by probe_id, at desc, id;

-- name: Checks :many
select probe_id, at, method, read_c, true_c from probe_check where site_id = $1 order by at, id;

-- name: PutDeviceValue :exec
insert into device_value (site_id, probe_id, at, value) values ($1, $2, $3, $4)
on conflict (site_id, probe_id) do update set at = excluded.at, value = excluded.value where excluded.at > device_value.at;

-- name: DeviceValues :many
select p.id, p.name, p.kind, v.at, v.value from device_value v
join probe p on p.site_id = v.site_id and p.id = v.probe_id
where v.site_id = $1 and v.at > @since order by v.at desc;

-- name: MoveReadings :execrows
with taken as (
    delete from reading r where r.site_id = $1 and r.probe_id = @from_probe and r.at >= @from_at and r.at <= @to_at returning r.site_id, r.at, r.celsius)
insert into reading (site_id, probe_id, at, celsius) select t.site_id, @to_probe, t.at, t.celsius from taken t on conflict do nothing;

-- name: LoggerLayout :one
select * from logger_layout where site_id = $1 and fingerprint = $2;

-- name: PutLoggerLayout :exec
insert into logger_layout (site_id, fingerprint, unit, date_order, zone, temp_column, place_id, used_at)
values ($1, $2, $3, $4, $5, $6, $7, $8)
on conflict (site_id, fingerprint) do update set unit = excluded.unit, date_order = excluded.date_order, zone = excluded.zone,
    temp_column = excluded.temp_column, place_id = excluded.place_id, used_at = excluded.used_at;
