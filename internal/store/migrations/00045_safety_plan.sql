-- +goose Up

-- The kitchen's written plan by which fish is kept safe, as it was signed: each version stays.
create table haccp_plan (
    site_id   int not null references site,
    version   int not null,
    at        timestamptz not null,
    person_id int not null,
    rules     text not null, -- in force when it was signed
    note      text not null, -- what is new in it
    lines     json not null,
    primary key (site_id, version),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- A second person has read a deviation and what was done about it: an alarm of a place, or an entry of a lot.
create table deviation_read (
    site_id      int not null references site,
    deviation_id uuid not null,
    at           timestamptz not null,
    person_id    int not null,
    note         text not null,
    primary key (site_id, deviation_id),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- +goose StatementBegin
do $$
declare
    name text;
begin
    foreach name in array array['haccp_plan', 'deviation_read'] loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
        execute format('revoke update, delete on %I from leancatch_all, leancatch_app', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
drop table haccp_plan, deviation_read;
