-- name: AddAlarm :exec
insert into alarm (site_id, id, place_id, probe_id, kind, since, raised_at, ended_at, worst_c, limit_c, openings, stops)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) on conflict do nothing;

-- name: UpdateAlarm :exec
update alarm set since = $3, raised_at = $4, ended_at = $5, worst_c = $6, openings = $7, stops = stops or $8 where site_id = $1 and id = $2;

-- name: DropAlarm :execrows
delete from alarm a where a.site_id = $1 and a.id = $2
  and not exists (select from alarm_action x where x.site_id = a.site_id and x.alarm_id = a.id);

-- name: AlarmsOfPlace :many
select * from alarm where site_id = $1 and place_id = $2 and (ended_at is null or ended_at >= @since) order by since;

-- name: Alarm :one
select * from alarm where site_id = $1 and id = $2;

-- name: Alarms :many
select * from alarm where site_id = $1 and (raised_at >= @since or ended_at is null) order by raised_at desc limit 500;

-- name: AlarmsBetween :many
select * from alarm where site_id = $1 and since < @to_at and (ended_at is null or ended_at >= @from_at) order by raised_at desc;

-- name: OpenAlarms :many
select a.* from alarm a
where a.site_id = $1 and (a.ended_at is null or a.raised_at >= @since)
  and not exists (select from alarm_action x where x.site_id = a.site_id and x.alarm_id = a.id)
order by a.stops desc, a.raised_at desc limit 50;

-- name: AddAlarmAction :exec
insert into alarm_action (site_id, id, alarm_id, at, person_id, action, note) values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing;

-- name: ActionsOfAlarms :many
select x.*, p.name as person from alarm_action x
join person p on p.site_id = x.site_id and p.id = x.person_id
where x.site_id = $1 and x.alarm_id = any(@alarms::uuid[]) order by x.at desc;
