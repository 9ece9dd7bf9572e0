-- +goose Up

-- Species that a kitchen made, in all their versions.
create table house_species (
    site_id    int not null references site,
    id         text not null,
    version    int not null,
    data       json not null,
    created_at timestamptz not null,
    person_id  int not null,
    primary key (site_id, id, version),
    foreign key (site_id, person_id) references person (site_id, id)
);
alter table house_species enable row level security;
create policy fence on house_species to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on house_species to leancatch_all using (true) with check (true);
revoke update, delete on house_species from leancatch_all, leancatch_app;

-- The newest version of each, as a JSON array; '' for none: who loads the site knows them.
alter table site add column own_species text not null default '';

-- +goose Down
alter table site drop column own_species;
drop table house_species;
