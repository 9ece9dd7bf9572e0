-- +goose Up

-- Lots whose records are gone since their time was over, with the end of each chain: heads that were kept elsewhere still prove something.
create table gone_lot (
    site_id   int not null references site,
    id        uuid not null,
    code      text not null,
    head_seq  bigint not null,
    head_hash bytea not null,
    gone_at   timestamptz not null default now(),
    primary key (site_id, id)
);
alter table gone_lot enable row level security;
create policy fence on gone_lot to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on gone_lot to leancatch_all using (true) with check (true);
revoke insert, update, delete on gone_lot from leancatch_all, leancatch_app;

-- What is written stays: nothing is updated, and deleted only by drop_lots and drop_records. Only the owner may delete at all.
-- +goose StatementBegin
create or replace function refuse_change() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' and current_setting('leancatch.retention', true) = 'on' then
        return old;
    end if;
    raise exception '% is append-only', tg_table_name;
end $$;
-- +goose StatementEnd

-- Drops lots with all that refers to them, and keeps the ends of their chains.
-- +goose StatementBegin
create function drop_lots(site int, gone uuid[]) returns void language plpgsql as $$
declare
    r record;
begin
    perform set_config('leancatch.retention', 'on', true);
    insert into gone_lot (site_id, id, code, head_seq, head_hash)
    select l.site_id, l.id, b.code, l.head_seq, l.head_hash from lot l join lot_board b on b.site_id = l.site_id and b.lot_id = l.id
    where l.site_id = site and l.id = any(gone);
    delete from photo p using lot_event e
    where e.site_id = site and e.lot_id = any(gone) and e.kind = 'photographed' and p.site_id = site and p.id = (e.data ->> 'photo_id')::uuid;
    for r in
        select c.conrelid::regclass as name, a.attname from pg_constraint c
        join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[2]
        where c.contype = 'f' and c.confrelid = 'lot'::regclass
    loop
        execute format('delete from %s where site_id = $1 and %I = any($2)', r.name, r.attname) using site, gone;
    end loop;
    delete from lot l where l.site_id = site and l.id = any(gone);
    perform set_config('leancatch.retention', '', true);
end $$;
-- +goose StatementEnd

-- Drops what was written of places and people before a time: alarms that are over, checks, clean-downs; of each probe its last check stays.
-- +goose StatementBegin
create function drop_records(site int, before timestamptz) returns void language plpgsql as $$
begin
    perform set_config('leancatch.retention', 'on', true);
    delete from deviation_read d where d.site_id = site and d.at < before;
    delete from alarm_action x using alarm a where a.site_id = site and a.ended_at < before and x.site_id = site and x.alarm_id = a.id;
    delete from alarm a where a.site_id = site and a.ended_at < before;
    delete from places_check_line l using places_check c where c.site_id = site and c.at < before and l.site_id = site and l.check_id = c.id;
    delete from places_check c where c.site_id = site and c.at < before;
    delete from clean_down c where c.site_id = site and c.at < before;
    delete from probe_check c where c.site_id = site and c.at < before
      and exists (select from probe_check o where o.site_id = site and o.probe_id = c.probe_id and o.at > c.at and o.at < before);
    perform set_config('leancatch.retention', '', true);
end $$;
-- +goose StatementEnd
revoke execute on function drop_lots, drop_records from public;

-- How many months of readings end before a time.
-- +goose StatementBegin
create function months_of_readings(before timestamptz) returns int stable language sql as $$
    select count(*)::int from pg_inherits i join pg_class c on c.oid = i.inhrelid
    where i.inhparent = 'reading'::regclass and (before = 'infinity' or c.relname < 'reading_' || to_char(before at time zone 'UTC', 'YYYY_MM'))
$$;
-- +goose StatementEnd

-- +goose Down
drop function months_of_readings;
drop function drop_records;
drop function drop_lots;
-- +goose StatementBegin
create or replace function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception '% is append-only', tg_table_name;
end $$;
-- +goose StatementEnd
drop table gone_lot;
