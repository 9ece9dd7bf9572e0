-- +goose Up

-- Who was shown a cutting card by whom, and who does it alone.
create table training (
    site_id   int not null references site,
    id        uuid not null,
    card      text not null,
    person_id int not null,
    shown_by  int, -- null: the person does it alone
    at        timestamptz not null,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, shown_by) references person (site_id, id)
);
create index on training (site_id, card, at);
alter table training enable row level security;
create policy fence on training to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on training to leancatch_all using (true) with check (true);
revoke update, delete on training from leancatch_all, leancatch_app;

-- +goose Down
drop table training;
