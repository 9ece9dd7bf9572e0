-- name: People :many
select * from person where site_id = $1 order by left_at is not null, id;

-- name: Person :one
select * from person where site_id = $1 and id = $2;

-- name: AddPerson :one
insert into person (site_id, name, role, account_id) values ($1, $2, $3, $4) returning *;

-- name: LockPerson :one
select * from person where site_id = $1 and id = $2 for no key update;

-- name: LockOwners :many
-- In one order for all, so that two owners cannot take the last one away at once.
select id from person where site_id = $1 and role = 'owner' and left_at is null order by id for no key update;

-- name: SetRole :exec
update person set role = $3 where site_id = $1 and id = $2;

-- name: SetLeft :exec
update person set left_at = $3 where site_id = $1 and id = $2;

-- name: SetScales :exec
update person set temp_scale = $3, mass_scale = $4, senses = $5 where site_id = $1 and id = $2;

-- name: PeopleWithKeys :many
-- The people of a site with what they can sign in with, and until when it is locked.
select sqlc.embed(p), coalesce(a.user_name, '')::text as user_name, (n.hash is not null)::bool as has_pin,
    (select t.locked_until from throttle t where t.locked_until > @now and (t.key = 'person ' || p.site_id || ' ' || p.id
        or starts_with(t.key, 'user ' || a.user_name || ' at ') or t.key in (select 'browser ' || b.id from known_browser b where b.account_id = a.id))
        order by t.locked_until desc limit 1) as locked_until,
    coalesce((select max(s.seen_at) from session s where s.account_id = p.account_id or s.site_id = p.site_id and s.person_id = p.id), 'epoch')::timestamptz as seen_at
from person p
left join account a on a.id = p.account_id
left join pin n on n.site_id = p.site_id and n.person_id = p.id
where p.site_id = $1 order by p.left_at is not null, p.id;

-- name: PutPIN :exec
insert into pin (site_id, person_id, hash, changed_at) values ($1, $2, $3, $4)
on conflict (site_id, person_id) do update set hash = excluded.hash, changed_at = excluded.changed_at;

-- name: DropPIN :exec
delete from pin where site_id = $1 and person_id = $2;

-- name: PIN :one
select n.hash, p.name from pin n join person p on p.site_id = n.site_id and p.id = n.person_id
where n.site_id = $1 and n.person_id = $2 and p.left_at is null;

-- name: AddAccount :one
insert into account (user_name, password, changed_at) values ($1, $2, $3) returning *;

-- name: SetAccount :exec
update person set account_id = $3 where site_id = $1 and id = $2;

-- name: SetPassword :exec
update account set password = $2, changed_at = $3 where id = $1;

-- name: Account :one
select * from account where id = $1;

-- name: AccountByName :one
select * from account where user_name = $1;

-- name: SitesOfAccount :many
select s.* from site s join person p on p.site_id = s.id
where p.account_id = @account_id::int and p.left_at is null order by s.id;

-- name: SetLock :exec
update site set lock_minutes = $2 where id = $1;

-- name: AddDevice :exec
insert into device (site_id, id, name, hash, enrolled_at, enrolled_by) values ($1, $2, $3, $4, $5, $6);

-- name: DeviceByHash :one
select sqlc.embed(d), sqlc.embed(s) from device d join site s on s.id = d.site_id where d.hash = $1 and d.revoked_at is null;

-- name: Devices :many
select sqlc.embed(d), p.name as enrolled_by_name from device d join person p on p.site_id = d.site_id and p.id = d.enrolled_by
where d.site_id = $1 and d.revoked_at is null order by d.enrolled_at;

-- name: RevokeDevice :one
update device set revoked_at = $3 where site_id = $1 and id = $2 and revoked_at is null returning name;

-- name: AddSession :exec
insert into session (id, hash, account_id, site_id, person_id, device_id, agent, started_at, seen_at, ends_at)
values ($1, $2, $3, $4, $5, $6, $7, $8, $8, $9);

-- name: SessionByHash :one
select s.* from session s left join device d on d.site_id = s.site_id and d.id = s.device_id
where s.hash = $1 and s.ended_at is null and s.ends_at > @now and d.revoked_at is null;

-- name: Visit :one
-- Who a session is in a kitchen: the person of its account there, or itself; and the kitchen's version now.
select sqlc.embed(s), sqlc.embed(site), sqlc.embed(p),
    coalesce((select v.version from site_version v where v.site_id = site.id), 0)::bigint as version
from session s
join site on site.slug = $2
join person p on p.site_id = site.id and (p.account_id = s.account_id or s.site_id = p.site_id and s.person_id = p.id)
left join device d on d.site_id = s.site_id and d.id = s.device_id
where s.hash = $1 and s.ended_at is null and s.ends_at > @now and d.revoked_at is null and p.left_at is null;

-- name: SeeSession :exec
update session set seen_at = $2 where id = $1;

-- name: EndSession :exec
update session set ended_at = $2 where id = $1 and ended_at is null;

-- name: EndSessionsOfAccount :exec
update session set ended_at = @now where account_id = @account_id::int and ended_at is null and id <> @but;

-- name: EndSessionsOfPerson :exec
update session set ended_at = @now where site_id = $1 and person_id = $2 and ended_at is null and id <> @but;

-- name: EndSessionsOfDevice :exec
update session set ended_at = @now where site_id = @site_id::int and device_id = @device_id::uuid and ended_at is null;

-- name: Sessions :many
-- Who is signed in at a site.
select s.id, s.agent, s.started_at, s.seen_at, s.ends_at, p.id as person_id, p.name, coalesce(d.name, '')::text as device
from session s
join person p on p.site_id = $1 and (p.account_id = s.account_id or s.site_id = p.site_id and s.person_id = p.id)
left join device d on d.site_id = s.site_id and d.id = s.device_id
where s.ended_at is null and s.ends_at > @now and d.revoked_at is null
order by s.seen_at desc;

-- name: DropOldSessions :exec
delete from session where ends_at < $1;

-- name: LockThrottle :one
insert into throttle (key, failures, lockouts, failed_at) values ($1, 0, 0, $2)
on conflict (key) do update set key = excluded.key returning *;

-- name: SetThrottle :exec
update throttle set failures = $2, lockouts = $3, failed_at = $4, locked_until = $5 where key = $1;

-- name: ForgiveThrottle :exec
-- Takes a counted failure back; when it was is forgotten too, unless another one came since.
update throttle set failures = greatest(failures - 1, 0), failed_at = case when failed_at = @now then @was else failed_at end where key = $1;

-- name: DropThrottle :exec
delete from throttle where key = $1;

-- name: DropThrottlesOf :exec
-- All that locks or slows a person, by their keys: person, user name from anywhere, browsers, sessions.
delete from throttle where key = @person::text
    or @user_key::text <> '' and (key = @user_key or starts_with(key, @user_key || ' at '))
    or key in (select 'browser ' || b.id from known_browser b where b.account_id = @account_id::int)
    or key in (select 'session ' || s.id from session s where s.account_id = @account_id::int or s.site_id = @site_id::int and s.person_id = @person_id::int);

-- name: DropThrottles :exec
delete from throttle;

-- name: KnownBrowser :one
select id from known_browser where hash = $1 and account_id = $2 and seen_at > @since;

-- name: PutKnownBrowser :exec
-- In place of what the browser was known by before.
with old as (delete from known_browser b where b.hash = @was and b.account_id = @account_id)
insert into known_browser (id, hash, account_id, seen_at) values (@id, @hash, @account_id, @seen_at);

-- name: DropKnownBrowsers :exec
delete from known_browser where account_id = $1;

-- name: DropOldKnownBrowsers :exec
delete from known_browser where seen_at < $1;

-- name: CountFailure :one
insert into failed_try (site_id, name, hour, last_where, tries) values ($1, $2, $3, $4, 1)
on conflict (site_id, name, hour) do update set tries = failed_try.tries + 1, last_where = excluded.last_where returning tries;

-- name: TakeFailures :many
delete from failed_try where hour < $1 returning *;

-- name: DropOldThrottles :exec
delete from throttle where failed_at < $1 and (locked_until is null or locked_until < $1);

-- name: PutSetupLink :exec
insert into setup_link (hash, ends_at) values ($1, $2)
on conflict (only_row) do update set hash = excluded.hash, ends_at = excluded.ends_at;

-- name: LockSetupLink :one
select * from setup_link for update;

-- name: DropSetupLink :exec
delete from setup_link;

-- name: AddToken :exec
insert into api_token (site_id, name, hash, person_id, created_at, scopes, probe_ids) values ($1, $2, $3, $4, $5, $6, $7);

-- name: Tokens :many
select sqlc.embed(t), p.name as person from api_token t join person p on p.site_id = t.site_id and p.id = t.person_id
where t.site_id = $1 and t.revoked_at is null order by t.created_at;

-- name: RevokeToken :one
update api_token set revoked_at = $3 where site_id = $1 and id = $2 and revoked_at is null returning name;

-- name: RevokeProbeTokens :exec
update api_token set revoked_at = @now where site_id = $1 and probe_ids = array[@probe_id::int] and revoked_at is null;

-- name: UseToken :one
select sqlc.embed(t), sqlc.embed(s), sqlc.embed(p) from api_token t
join site s on s.id = t.site_id
join person p on p.site_id = t.site_id and p.id = t.person_id
where t.hash = $1 and t.revoked_at is null and p.left_at is null;

-- name: SeeToken :exec
update api_token set last_used_at = $3 where site_id = $1 and id = $2;

-- name: AuditHead :one
select seq, hash from audit_head where site_id = $1;

-- name: SetAuditHead :exec
insert into audit_head (site_id, seq, hash) values ($1, $2, $3)
on conflict (site_id) do update set seq = excluded.seq, hash = excluded.hash;

-- name: AuditAt :one
select hash from audit where site_id = $1 and seq = $2;

-- name: LockAudit :exec
select pg_advisory_xact_lock(hashtext('audit'), $1::int);

-- name: AddAudit :exec
insert into audit (site_id, seq, at, person_id, name, act, subject, prev_hash, hash) values ($1, $2, $3, $4, $5, $6, $7, $8, $9);

-- name: Audit :many
select * from audit where site_id = $1 and (@act::text = '' or act = @act) and seq < @before order by seq desc limit $2;

-- name: AuditFrom :many
select * from audit where site_id = $1 and seq > $2 order by seq limit $3;

-- name: EndSessionByHash :exec
update session set ended_at = $2 where hash = $1 and ended_at is null;

-- name: AddHandover :exec
insert into handover (site_id, id, at, person_id, text) values ($1, $2, $3, $4, $5) on conflict do nothing;

-- name: Handovers :many
-- The notes that nobody has read, and those of a time.
select h.id, h.at, h.text, w.name as writer, h.read_at, r.name as reader from handover h
join person w on w.site_id = h.site_id and w.id = h.person_id
left join person r on r.site_id = h.site_id and r.id = h.read_by
where h.site_id = $1 and (h.read_at is null or h.at >= @since) order by h.at desc limit 20;

-- name: ReadHandover :execrows
update handover set read_at = $3, read_by = $4 where site_id = $1 and id = $2 and read_at is null;
