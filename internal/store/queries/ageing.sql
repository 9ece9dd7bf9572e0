-- name: PutHumidity :execrows
insert into humidity (site_id, probe_id, at, rh)
select @site_id, @probe_id, unnest(@ats::timestamptz[]), unnest(@rhs::real[]) on conflict do nothing;

-- name: HumidityHours :many
select date_trunc('hour', h.at)::timestamptz as hour, avg(h.rh)::double precision as rh, max(h.rh)::double precision as most
from humidity h join probe_stay s on s.site_id = h.site_id and s.probe_id = h.probe_id and h.at >= s.from_at and h.at < s.to_at
where h.site_id = @site_id and s.place_id = @place_id and h.at >= @from_at and h.at < @to_at
group by 1 order by 1;

-- name: HumidityBetween :many
select h.at, h.rh::double precision as rh
from humidity h join probe_stay s on s.site_id = h.site_id and s.probe_id = h.probe_id and h.at >= s.from_at and h.at < s.to_at
where h.site_id = @site_id and s.place_id = @place_id and h.at >= @from_at and h.at < @to_at
order by h.at;

-- name: SetAgeingCabinet :exec
update place set set_c = @set_c, set_rh = @set_rh, scale_kg = @scale_kg, air_speed_ms = @air_speed_ms where site_id = @site_id and id = @id;

-- name: AgedFish :many
select lot_id, species, aged from lot_board where site_id = @site_id and (aged ->> 'place_id')::int = any(@places::int[]) and aged -> 'learnt' <> 'null';

-- name: AddAgeingPlan :execrows
insert into ageing_plan (site_id, id, reference, max_days, max_c, raw, formers, at, person_id)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict do nothing;

-- name: AgeingPlans :many
select a.*, p.name as person from ageing_plan a join person p on p.site_id = a.site_id and p.id = a.person_id
where a.site_id = $1 order by a.at desc;

-- name: StrikeAgeingPlan :execrows
update ageing_plan set struck_at = $3, struck_by = $4 where site_id = $1 and id = $2 and struck_at is null;
