-- +goose Up

-- Outside the fence the application works as leancatch_all: it reads and writes the rows of every
-- site, and owns nothing. The login that serves is a member of both roles, inherits neither, and needs
-- no other right; docs/operations.md tells how to make it.
-- +goose StatementBegin
do $$
begin
    create role leancatch_all nologin;
exception when duplicate_object or unique_violation then null; -- another database of this server made it
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
begin
    execute format('grant leancatch_all to %I', current_user);
exception when others then -- a superuser needs no grant; two migrations at once may meet here
    if not pg_has_role(current_user, 'leancatch_all', 'member') then raise; end if;
end $$;
-- +goose StatementEnd

grant usage on schema public to leancatch_all;
grant select, insert, update, delete on all tables in schema public to leancatch_all;
grant usage on all sequences in schema public to leancatch_all;
alter default privileges in schema public grant select, insert, update, delete on tables to leancatch_all;
alter default privileges in schema public grant usage on sequences to leancatch_all;
revoke all on goose_db_version from leancatch_all;
grant select on goose_db_version to leancatch_all, leancatch_app;
revoke update, delete on lot_event, audit from leancatch_all, leancatch_app; -- what is written stays

-- +goose StatementBegin
do $$
declare
    name text;
begin
    for name in select tablename from pg_policies where policyname = 'fence' loop
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
do $$
declare
    name text;
begin
    for name in select tablename from pg_policies where policyname = 'everywhere' loop
        execute format('drop policy everywhere on %I', name);
    end loop;
end $$;
-- +goose StatementEnd
grant update, delete on lot_event, audit to leancatch_app;
revoke select on goose_db_version from leancatch_app;
alter default privileges in schema public revoke all on tables from leancatch_all;
alter default privileges in schema public revoke all on sequences from leancatch_all;
drop owned by leancatch_all;
