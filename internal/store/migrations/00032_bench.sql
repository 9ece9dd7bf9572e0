-- +goose Up

-- How the bench of a kitchen usually works, choices by policy, and how the cost of a fish is shared over its parts.
alter table site
    add column bench_policies json not null default '{}',
    add column cost_by        text not null default 'value' check (cost_by in ('value', 'weight'));

-- What a lot cost, hundredths; 0 where nobody knows.
alter table lot_board add column cost_cents double precision not null default 0;
insert into stale_lot (site_id, lot_id) select site_id, lot_id from lot_board where status = 'on hand' on conflict do nothing;

-- What was cut, as the events of the lots say it: yields are read here.
create table lot_cut (
    site_id     int not null,
    event_id    uuid not null,
    lot_id      uuid not null,
    at          timestamptz not null,
    species     text not null,
    form        text not null, -- of the fish that were cut
    supplier_id int not null,
    cutter_id   int not null,
    count       int not null,
    kg          double precision not null,
    cents       double precision not null,
    minutes     double precision not null,
    parts       jsonb not null,
    primary key (site_id, event_id),
    foreign key (site_id, lot_id) references lot (site_id, id)
);
create index on lot_cut (site_id, species, at);
create index on lot_cut (site_id, at);
create index on lot_cut (site_id, lot_id);
alter table lot_cut enable row level security;
create policy fence on lot_cut to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on lot_cut to leancatch_all using (true) with check (true);

-- +goose Down
drop table lot_cut;
alter table lot_board drop column cost_cents;
alter table site drop column bench_policies, drop column cost_by;
