-- name: SetFreezer :exec
update place set cooling = $3, power_w = $4, air_speed_ms = $5 where site_id = $1 and id = $2;

-- name: SetThawSchool :exec
update site set thaw_school = $2 where id = $1;

-- name: AddLetter :execrows
insert into parasite_letter (site_id, id, supplier_id, species, kind, reference, issued_on, valid_to, at, person_id, supplier_lot, route_c, route_hours)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) on conflict do nothing;

-- name: Letters :many
select l.*, s.name as supplier, p.name as person from parasite_letter l
join supplier s on s.site_id = l.site_id and s.id = l.supplier_id
join person p on p.site_id = l.site_id and p.id = l.person_id
where l.site_id = $1 order by l.at desc;

-- name: StrikeLetter :execrows
update parasite_letter set struck_at = $3, struck_by = $4 where site_id = $1 and id = $2 and struck_at is null;

-- name: AddThaw :exec
insert into thaw_plan (site_id, id, serve_at, end_use, species, form, portions, portion_kg, created_at, person_id)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict do nothing;

-- name: Thaws :many
select t.*, p.name as person from thaw_plan t join person p on p.site_id = t.site_id and p.id = t.person_id
where t.site_id = $1 and (t.closed_at is null or t.closed_at >= @since) order by t.serve_at;

-- name: ThawByID :one
select t.*, p.name as person from thaw_plan t join person p on p.site_id = t.site_id and p.id = t.person_id
where t.site_id = $1 and t.id = $2;

-- name: LockThaw :one
select * from thaw_plan where site_id = $1 and id = $2 for update;

-- name: MoveThaw :exec
update thaw_plan set serve_at = $3 where site_id = $1 and id = $2;

-- name: CloseThaw :exec
update thaw_plan set closed_at = $3 where site_id = $1 and id = $2;

-- name: PutThawLine :exec
insert into thaw_line (site_id, plan_id, n, lot_id, pieces, kg, method, medium_c, start_c, from_at, shape, mm, one_face, sealed, pulled_at, thawed_at, ended_at)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17)
on conflict (site_id, plan_id, n) do update set lot_id = excluded.lot_id, method = excluded.method, medium_c = excluded.medium_c, start_c = excluded.start_c,
    from_at = excluded.from_at, sealed = excluded.sealed, pulled_at = excluded.pulled_at, thawed_at = excluded.thawed_at, ended_at = excluded.ended_at, kg = excluded.kg;

-- name: ThawLines :many
select l.* from thaw_line l where l.site_id = $1 and l.plan_id = any(@plans::uuid[]) order by l.plan_id, l.n;

-- name: LotsInThaws :many
-- Those that were pulled too.
select l.lot_id, l.pieces, l.plan_id, l.pulled_at, t.serve_at, t.species from thaw_line l join thaw_plan t on t.site_id = l.site_id and t.id = l.plan_id
where l.site_id = $1 and t.closed_at is null and l.ended_at is null;

-- name: ThawSteps :many
select s.*, coalesce(p.name, '')::text as person from thaw_step s left join person p on p.site_id = s.site_id and p.id = s.person_id
where s.site_id = $1 and s.plan_id = any(@plans::uuid[]) order by s.plan_id, s.n, s.seq;

-- name: DropThawSteps :exec
delete from thaw_step where site_id = $1 and plan_id = $2 and n = $3 and done_at is null;

-- name: AddThawStep :exec
insert into thaw_step (site_id, plan_id, n, seq, step, at, doing, why, core)
values ($1, $2, @n, (select coalesce(max(seq), 0) + 1 from thaw_step t where t.site_id = $1 and t.plan_id = $2 and t.n = @n), @step, @at, @doing, @why, @core);

-- name: DoThawStep :execrows
update thaw_step set done_at = $5, person_id = $6, core_c = $7, event_id = $8 where site_id = $1 and plan_id = $2 and n = $3 and seq = $4 and done_at is null;

-- name: SetThawStep :exec
update thaw_step set done_at = $5, core_c = $6 where site_id = $1 and plan_id = $2 and n = $3 and seq = $4;

-- name: ThawStepOfEvent :one
select * from thaw_step where site_id = $1 and event_id = $2;

-- name: AddThawStepCorrection :execrows
insert into thaw_step_correction (site_id, id, plan_id, n, step, doing, was_at, was_c, core_c, undone, reason, person_id, corrected_at)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) on conflict do nothing;

-- name: ThawStepCorrections :many
select c.*, p.name as person from thaw_step_correction c join person p on p.site_id = c.site_id and p.id = c.person_id
where c.site_id = $1 and c.plan_id = $2 order by c.corrected_at;

-- name: ThawStepsDue :many
select s.plan_id, s.n, s.step, s.at, s.doing, s.why, b.lot_id, b.code, b.species
from thaw_step s
join thaw_plan t on t.site_id = s.site_id and t.id = s.plan_id
join thaw_line l on l.site_id = s.site_id and l.plan_id = s.plan_id and l.n = s.n
join lot_board b on b.site_id = l.site_id and b.lot_id = l.lot_id
where s.site_id = $1 and s.done_at is null and t.closed_at is null and l.ended_at is null and s.at <= @until
order by s.at, s.plan_id, s.n, s.seq;

-- name: LotsOfBatch :many
select lot_id from lot_board where site_id = $1 and frost ->> 'batch_id' = @batch_id::text and status <> 'parted' order by code;

-- name: ThawLinesFollow :exec
update thaw_line set lot_id = @to_lot where site_id = $1 and lot_id = @from_lot and pulled_at is null and ended_at is null;
