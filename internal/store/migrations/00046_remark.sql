-- +goose Up

-- What guests said of a lot's fish, with the likeliest cause as the record had it then.
create table remark (
    site_id    int not null references site,
    id         uuid not null,
    lot_id     uuid not null,
    served_at  timestamptz not null,
    word       text not null,
    note       text not null,
    raw        boolean not null, -- it was served so
    cause      text not null,
    cutter_id  int,              -- who cut it; null where nobody did here
    at         timestamptz not null,
    person_id  int not null,
    struck_at  timestamptz,
    struck_by  int,
    primary key (site_id, id),
    foreign key (site_id, lot_id) references lot (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, cutter_id) references person (site_id, id),
    foreign key (site_id, struck_by) references person (site_id, id)
);
create index on remark (site_id, served_at);
create index on remark (site_id, lot_id);
alter table remark enable row level security;
create policy fence on remark to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on remark to leancatch_all using (true) with check (true);

-- +goose Down
drop table remark;
