-- +goose Up

-- When the bench was cleaned down, by whom.
create table clean_down (
    site_id   int not null references site,
    id        uuid not null,
    at        timestamptz not null,
    person_id int not null,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on clean_down (site_id, at desc);
alter table clean_down enable row level security;
create policy fence on clean_down to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on clean_down to leancatch_all using (true) with check (true);
revoke update, delete on clean_down from leancatch_all, leancatch_app;

-- +goose Down
drop table clean_down;
