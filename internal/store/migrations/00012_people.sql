-- +goose Up

-- Who signs in with a user name and a password of their own; the same account
-- may belong to people of several kitchens.
create table account (
    id         int generated always as identity primary key,
    user_name  text not null unique check (user_name = lower(user_name)),
    password   text not null,
    changed_at timestamptz not null
);

-- left_at: who no longer works here. Their name stays in the records.
alter table person
    add column account_id int references account,
    add column left_at    timestamptz;
create unique index on person (account_id, site_id);

-- PINs count on enrolled devices only. They stand apart from the people, so that
-- nothing that reads a person carries one along.
create table pin (
    site_id    int not null,
    person_id  int not null,
    hash       text not null,
    changed_at timestamptz not null,
    primary key (site_id, person_id),
    foreign key (site_id, person_id) references person (site_id, id)
);

-- A shared tablet; it carries the secret of which only the hash is here.
create table device (
    site_id     int not null references site,
    id          uuid not null,
    name        text not null,
    hash        bytea not null unique,
    enrolled_at timestamptz not null,
    enrolled_by int not null,
    revoked_at  timestamptz,
    primary key (site_id, id),
    foreign key (site_id, enrolled_by) references person (site_id, id)
);

-- Who is signed in, where: by an account, or as a person on a device.
create table session (
    id         uuid primary key,
    hash       bytea not null unique,
    account_id int references account,
    site_id    int,
    person_id  int,
    device_id  uuid,
    agent      text not null,
    started_at timestamptz not null,
    seen_at    timestamptz not null,
    ends_at    timestamptz not null,
    ended_at   timestamptz,
    foreign key (site_id, person_id) references person (site_id, id),
    foreign key (site_id, device_id) references device (site_id, id),
    check (num_nonnulls(account_id, person_id) = 1)
);
create index on session (ends_at) where ended_at is null;

-- Tries that failed, by what was tried: a person, a device, a user name, an address.
create table throttle (
    key          text primary key,
    failures     int not null,
    lockouts     int not null,
    failed_at    timestamptz not null,
    locked_until timestamptz
);

-- The link that opens a new installation, once. One row.
create table setup_link (
    only_row boolean primary key default true check (only_row),
    hash     bytea not null,
    ends_at  timestamptz not null
);

-- What was done to who may do what, and what was refused: a chain of hashes for
-- each site, as the lots have. site_id 0 is for what concerns none.
create table audit (
    site_id   int not null,
    seq       int not null,
    at        timestamptz not null,
    person_id int,
    name      text not null,
    act       text not null,
    subject   text not null,
    prev_hash bytea not null,
    hash      bytea not null,
    primary key (site_id, seq)
);
create trigger append_only before update or delete on audit for each row execute function refuse_change();
create trigger append_only_truncate before truncate on audit for each statement execute function refuse_change();

-- Whose word a manager's act had, where somebody else did it.
alter table lot_event
    add column approver_id int,
    add foreign key (site_id, approver_id) references person (site_id, id);

-- What a token may do, and the probes for which it may send.
alter table api_token
    add column scopes       text[] not null default '{read,write}' check (scopes <@ '{read,write,readings}'),
    add column probe_ids    int[] not null default '{}',
    add column last_used_at timestamptz,
    add column revoked_at   timestamptz;
update api_token set scopes = '{readings}', probe_ids = array[probe_id] where probe_id is not null;
alter table api_token drop column probe_id, alter column scopes drop default;

-- After how many quiet minutes a shared tablet asks again.
alter table site add column lock_minutes int not null default 10 check (lock_minutes between 1 and 120);

-- +goose Down
alter table site drop column lock_minutes;
alter table api_token add column probe_id int;
update api_token set probe_id = probe_ids[1] where probe_ids <> '{}';
alter table api_token drop column scopes, drop column probe_ids, drop column last_used_at, drop column revoked_at,
    add foreign key (site_id, probe_id) references probe (site_id, id);
alter table lot_event drop column approver_id;
drop table audit, setup_link, throttle, session, device, pin;
alter table person drop column account_id, drop column left_at;
drop table account;
