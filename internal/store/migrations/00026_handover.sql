-- +goose Up

-- What one shift leaves to the next, until somebody has read it.
create table handover (
    site_id   int not null references site,
    id        uuid not null,
    at        timestamptz not null,
    person_id int not null,
    text      text not null,
    read_at   timestamptz,
    read_by   int,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, read_by) references person (site_id, id)
);
create index on handover (site_id, at);

alter table handover enable row level security;
create policy fence on handover to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on handover to leancatch_all using (true) with check (true);
revoke delete on handover from leancatch_all, leancatch_app;

-- +goose Down
drop table handover;
