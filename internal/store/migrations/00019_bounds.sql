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

-- +goose Down
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
