-- name: ProbeChecksBetween :many
select c.*, b.name as probe, p.name as person from probe_check c
join probe b on b.site_id = c.site_id and b.id = c.probe_id
join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 and c.at >= @from_at and c.at < @to_at order by c.at, c.id;

-- name: CleanDownsBetween :many
select c.at, p.name as person from clean_down c
join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 and c.at >= @from_at and c.at < @to_at order by c.at;

-- name: PlacesChecksBetween :many
select c.kind, c.at, c.recorded_at, p.name as person from places_check c
join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 and c.at >= @from_at and c.at < @to_at order by c.at;

-- name: TrainingUntil :many
-- All of it: who learned a card two years ago does it alone today.
select t.card, t.at, p.name as person, coalesce(s.name, '')::text as shown_by from training t
join person p on p.site_id = t.site_id and p.id = t.person_id
left join person s on s.site_id = t.site_id and s.id = t.shown_by
where t.site_id = $1 and t.at < @to_at order by t.at;

-- name: HeadsBetween :many
-- The last entry of each lot to which something happened in a span.
select b.lot_id, b.code, l.head_seq, l.head_hash from lot_board b
join lot l on l.site_id = b.site_id and l.id = b.lot_id
where b.site_id = $1 and exists (select from lot_event e where e.site_id = b.site_id and e.lot_id = b.lot_id and e.happened_at >= @from_at and e.happened_at < @to_at)
order by b.lot_id;
