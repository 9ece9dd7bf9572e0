-- name: LotsToRetain :many
-- Each lot with when something was last written of it, or happened to it.
select b.lot_id, b.status, max(greatest(e.happened_at, e.recorded_at))::timestamptz as last from lot_board b
join lot_event e on e.site_id = b.site_id and e.lot_id = b.lot_id
where b.site_id = $1 group by b.lot_id, b.status;

-- name: AllLinks :many
select from_lot, to_lot from lot_link where site_id = $1;

-- name: LotsRecalledSince :many
select unnest(lots)::uuid as lot_id from recall where site_id = $1 and at >= @since;

-- name: RecordsBefore :one
-- How many alarms that are over, checks, and clean-downs were before a time, and how many in all.
select (select count(*) from alarm a where a.site_id = @site_id and a.ended_at < @before) as alarms_before,
    (select count(*) from alarm a where a.site_id = @site_id) as alarms,
    (select count(*) from places_check c where c.site_id = @site_id and c.at < @before) + (select count(*) from clean_down d where d.site_id = @site_id and d.at < @before) as checks_before,
    (select count(*) from places_check c where c.site_id = @site_id) + (select count(*) from clean_down d where d.site_id = @site_id) as checks;

-- name: ReadingMonths :one
-- How many months of readings are kept, and how many of them end before a time.
select months_of_readings('infinity')::int as months, months_of_readings(@before::timestamptz)::int as months_before;

-- name: DropLots :exec
select drop_lots($1, @gone::uuid[]);

-- name: DropRecords :exec
select drop_records($1, $2);

-- name: GoneLot :one
select * from gone_lot where site_id = $1 and id = $2;
