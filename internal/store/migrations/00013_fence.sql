-- +goose Up

-- The second lock between kitchens: what serves a site runs as leancatch_app,
-- which sees and writes the rows of the site in force alone, whatever a query
-- asks for. The first lock is the site_id in every query.
-- +goose StatementBegin
do $$
begin
    create role leancatch_app nologin;
exception when duplicate_object or unique_violation then null; -- another database of this server made it
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
begin
    execute format('grant leancatch_app to %I', current_user);
exception when others then -- a superuser needs no grant; two migrations at once may meet here
    if not pg_has_role(current_user, 'leancatch_app', 'member') then raise; end if;
end $$;
-- +goose StatementEnd

create function site_in_force() returns int stable language sql as
$$ select nullif(current_setting('leancatch.site', true), '')::int $$;

grant usage on schema public to leancatch_app;
grant select, insert, update, delete on all tables in schema public to leancatch_app;
grant usage on all sequences in schema public to leancatch_app;
alter default privileges in schema public grant select, insert, update, delete on tables to leancatch_app;
alter default privileges in schema public grant usage on sequences to leancatch_app;

-- Signing in is done outside the fence: no page of a site can read these.
revoke all on account, pin, session, throttle, setup_link, goose_db_version from leancatch_app;

-- +goose StatementBegin
do $$
declare
    name text;
begin
    for name in
        select c.relname from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attname = 'site_id' and not a.attisdropped
        where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition
    loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
    end loop;
end $$;
-- +goose StatementEnd
alter table site enable row level security;
create policy fence on site to leancatch_app using (id = (select site_in_force())) with check (id = (select site_in_force()));

-- A month's partition is made by whoever stores its first reading; it is read
-- through its parent alone.
-- +goose StatementBegin
create or replace function ensure_reading_month(month date) returns void language plpgsql security definer set search_path = public, pg_temp as $$
declare
    first date := date_trunc('month', month);
    name  text := 'reading_' || to_char(first, 'YYYY_MM');
begin
    if to_regclass(name) is null then
        perform pg_advisory_xact_lock(hashtext('ensure_reading_month'));
        execute format('create table if not exists %I partition of reading for values from (%L) to (%L)',
            name, first::text || ' 00:00+00', (first + interval '1 month')::date::text || ' 00:00+00');
        execute format('revoke all on %I from leancatch_app', name);
    end if;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
declare
    name text;
begin
    for name in select inhrelid::regclass::text from pg_inherits where inhparent = 'reading'::regclass loop
        execute format('revoke all on %s from leancatch_app', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
do $$
declare
    name text;
begin
    for name in select tablename from pg_policies where policyname = 'fence' loop
        execute format('drop policy fence on %I', name);
        execute format('alter table %I disable row level security', name);
    end loop;
end $$;
-- +goose StatementEnd
alter function ensure_reading_month security invoker reset all;
drop function site_in_force;
alter default privileges in schema public revoke all on tables from leancatch_app;
alter default privileges in schema public revoke all on sequences from leancatch_app;
drop owned by leancatch_app;
