-- name: PlanInForce :many
-- The last version; no row before the first.
select h.*, p.name as person from haccp_plan h
join person p on p.site_id = h.site_id and p.id = h.person_id
where h.site_id = $1 order by h.version desc limit 1;

-- name: PlanVersions :many
select h.*, p.name as person from haccp_plan h
join person p on p.site_id = h.site_id and p.id = h.person_id
where h.site_id = $1 order by h.version desc;

-- name: AddPlan :exec
insert into haccp_plan (site_id, version, at, person_id, rules, note, lines) values ($1, $2, $3, $4, $5, $6, $7);

-- name: DeviationsRead :many
select d.*, p.name as person from deviation_read d
join person p on p.site_id = d.site_id and p.id = d.person_id
where d.site_id = $1 and d.deviation_id = any(@deviations::uuid[]);

-- name: ReadDeviation :exec
insert into deviation_read (site_id, deviation_id, at, person_id, note) values ($1, $2, $3, $4, $5) on conflict do nothing;

-- name: DeviationsUnread :one
-- Of a span, of those that were answered: how many no second person has read, and when the first of them was.
select count(*) as waiting, coalesce(min(d.at), now())::timestamptz as first from (
    select a.id, a.since as at from alarm a
    where a.site_id = $1 and a.kind = any(@kinds::text[]) and a.since >= @from_at and a.since < @to_at
      and exists (select from alarm_action x where x.site_id = a.site_id and x.alarm_id = a.id)
    union all
    select e.id, e.happened_at from lot_event e
    where e.site_id = $1 and e.kind in ('held', 'refused') and e.happened_at >= @from_at and e.happened_at < @to_at
) d
where not exists (select from deviation_read r where r.site_id = $1 and r.deviation_id = d.id);
