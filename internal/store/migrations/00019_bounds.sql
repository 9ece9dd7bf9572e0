-- +goose Up

-- A month of readings is made for the last ten years and the next day alone, whoever asks.
-- +goose StatementBegin
create or replace function ensure_reading_month(month date) returns void language plpgsql security definer set search_path = public, pg_temp as $$
declare
    first date := date_trunc('month', month);
    name  text := 'reading_' || to_char(first, 'YYYY_MM');
begin
    if to_regclass(name) is null then
        if first < date_trunc('month', now() - interval '10 years') - interval '1 month' or first > now() + interval '1 day' then
            raise exception 'no readings of % are kept', to_char(first, 'YYYY-MM') using errcode = 'datetime_field_overflow';
        end if;
        perform pg_advisory_xact_lock(hashtext('ensure_reading_month'));
        execute format('create table if not exists %I partition of reading for values from (%L) to (%L)',
            name, first::text || ' 00:00+00', (first + interval '1 month')::date::text || ' 00:00+00');
        execute format('revoke all on %I from leancatch_app', name);
    end if;
end $$;
-- +goose StatementEnd

-- Browsers in which an account signed in: strangers who fail at its user name do not keep them out.
create table known_browser (
    id         uuid primary key,
    hash       bytea not null unique,
    account_id int not null references account,
    seen_at    timestamptz not null
);
create index on known_browser (account_id);

-- Tries that failed in an hour, by whose they were said to be: the audit tells of the first at once,
-- and how many more there were when the hour is over.
create table failed_try (
    site_id    int not null,
    name       text not null,
    hour       timestamptz not null,
    last_where text not null,
    tries      int not null,
    primary key (site_id, name, hour)
);
alter table failed_try enable row level security;
create policy fence on failed_try to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
revoke all on known_browser, failed_try from leancatch_app; -- signing in is done outside the fence

-- What was locked by earlier rules: an address or a user name is slowed down now.
delete from throttle where key like 'address %' or key like 'user %';

-- +goose Down
drop table known_browser, failed_try;
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
