-- +goose Up

-- Days on which the boats of an area stayed in: nothing is caught there then.
create table boats_in (
    site_id   int not null references site,
    id        uuid not null,
    area      text not null,
    from_at   timestamptz not null,
    to_at     timestamptz,
    person_id int not null,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on boats_in (site_id, from_at desc);

alter table boats_in enable row level security;
create policy fence on boats_in to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on boats_in to leancatch_all using (true) with check (true);
revoke delete on boats_in from leancatch_all, leancatch_app;

-- +goose Down
drop table boats_in;
