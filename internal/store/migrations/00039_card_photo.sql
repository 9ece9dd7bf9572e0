-- +goose Up

-- A kitchen's own picture of a step of a cutting card; the last counts, null takes it away again.
create table card_photo (
    site_id   int not null references site,
    id        uuid not null,
    card      text not null,
    step      int not null,
    photo_id  uuid,
    person_id int not null,
    at        timestamptz not null,
    primary key (site_id, id),
    foreign key (site_id, photo_id) references photo (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on card_photo (site_id, card, step, at desc);
alter table card_photo enable row level security;
create policy fence on card_photo to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on card_photo to leancatch_all using (true) with check (true);
revoke update, delete on card_photo from leancatch_all, leancatch_app;

-- +goose Down
drop table card_photo;
