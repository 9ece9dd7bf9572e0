-- +goose Up

-- An event that waits for a manager: it is written once somebody who may approves it.
create table approval_request (
    site_id     int not null references site,
    id          uuid not null, -- of the event
    lot_id      uuid not null,
    kind        text not null,
    data        jsonb not null,
    happened_at timestamptz not null,
    why         text not null,
    hold        text not null, -- what the lot was put on hold for until then
    asked_at    timestamptz not null,
    person_id   int not null,
    answered_at timestamptz,
    answered_by int,
    approved    boolean,
    reason      text not null default '',
    primary key (site_id, id),
    foreign key (site_id, lot_id) references lot (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, answered_by) references person (site_id, id)
);
create index on approval_request (site_id, lot_id);
create index on approval_request (site_id) where answered_at is null;

-- Who approves beside the managers, for a shift.
create table deputy (
    site_id   int not null references site,
    id        uuid not null,
    person_id int not null,
    from_at   timestamptz not null,
    to_at     timestamptz not null,
    named_by  int not null,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, named_by) references person (site_id, id)
);
create index on deputy (site_id, to_at);

alter table approval_request enable row level security;
create policy fence on approval_request to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on approval_request to leancatch_all using (true) with check (true);
revoke delete on approval_request from leancatch_all, leancatch_app;

alter table deputy enable row level security;
create policy fence on deputy to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on deputy to leancatch_all using (true) with check (true);
revoke delete on deputy from leancatch_all, leancatch_app;

-- +goose Down
drop table approval_request;
drop table deputy;
