-- +goose Up

-- The opening and closing checks of the cold places: who signed when, and what was seen in each place.
create table places_check (
    site_id     int not null references site,
    id          uuid not null,
    kind        text not null check (kind in ('opening', 'between', 'closing')),
    at          timestamptz not null,
    recorded_at timestamptz not null,
    person_id   int not null,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on places_check (site_id, at);

create table places_check_line (
    site_id   int not null references site,
    check_id  uuid not null,
    place_id  int not null,
    celsius   real,
    maximum_c real,
    ice       boolean not null,
    all_here  boolean not null, -- all its lots were counted, but for those that are not accounted for
    primary key (site_id, check_id, place_id),
    foreign key (site_id, check_id) references places_check (site_id, id),
    foreign key (site_id, place_id) references place (site_id, id)
);

-- +goose StatementBegin
do $$
declare
    name text;
begin
    foreach name in array array['places_check', 'places_check_line'] loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
        execute format('revoke update, delete on %I from leancatch_all, leancatch_app', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
drop table places_check_line, places_check;
