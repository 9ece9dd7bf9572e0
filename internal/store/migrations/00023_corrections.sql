-- +goose Up

-- What a reading by hand said before it was corrected; celsius is null where it was not read at all.
create table reading_correction (
    site_id      int not null references site,
    id           uuid not null,
    place_id     int not null,
    probe_id     int not null,
    at           timestamptz not null,
    was_c        real not null,
    celsius      real,
    reason       text not null,
    person_id    int not null,
    corrected_at timestamptz not null,
    primary key (site_id, id),
    foreign key (site_id, probe_id) references probe (site_id, id),
    foreign key (site_id, place_id) references place (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on reading_correction (site_id, place_id, at);

-- The event that a thaw's step wrote into its lot, and what a step without one said before.
alter table thaw_step add column event_id uuid;
create index on thaw_step (site_id, event_id) where event_id is not null;
create table thaw_step_correction (
    site_id      int not null references site,
    id           uuid not null,
    plan_id      uuid not null,
    n            int not null,
    step         text not null,
    doing        text not null,
    was_at       timestamptz not null,
    was_c        double precision,
    core_c       double precision,
    undone       boolean not null, -- it was not done after all
    reason       text not null,
    person_id    int not null,
    corrected_at timestamptz not null,
    primary key (site_id, id),
    foreign key (site_id, plan_id, n) references thaw_line (site_id, plan_id, n),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on thaw_step_correction (site_id, plan_id);

-- +goose StatementBegin
do $$
declare
    name text;
begin
    foreach name in array array['reading_correction', 'thaw_step_correction'] loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
        execute format('revoke update, delete on %I from leancatch_all, leancatch_app', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
drop table thaw_step_correction, reading_correction;
alter table thaw_step drop column event_id;
