-- +goose Up

-- A place: what its probes measure, how much it takes, what lies in it, where
-- it stands in the plan (columns side by side, level 0 on the floor), and
-- limits of its own, stricter than those of the profile.
alter table place
    add column air           boolean not null default true,
    add column capacity_kg   double precision check (capacity_kg > 0),
    add column holds         text not null default 'raw' check (holds in ('raw', 'ready', 'none')),
    add column plan_col      int not null default 0,
    add column plan_level    int not null default 0,
    add column warm_c        double precision,
    add column cold_c        double precision,
    add column delay_minutes int check (delay_minutes between 0 and 1440);
update place set holds = 'none' where kind in ('dock', 'deck');
update place set plan_col = position;

-- What a probe is: fixed in a place, a logger whose files are read, a
-- clipboard, or a handheld thermometer or scale whose last value is offered.
-- ahead_s is how far its clock is ahead, from readings of its time ahead_from on.
-- touched is another number after each change of its readings, never the same
-- again: what was kept of its hours under another one is out of date.
create sequence probe_touch;
alter table probe
    add column touched    bigint not null default nextval('probe_touch'),
    add column kind       text not null default 'fixed' check (kind in ('fixed', 'logger', 'hand', 'thermometer', 'scale')),
    add column last_at    timestamptz,
    add column last_c     double precision,
    add column ahead_s    int not null default 0,
    add column ahead_from timestamptz;
update probe set kind = case when by_hand then 'hand' when name like '%logger' or name like 'Logger with %' then 'logger' else 'fixed' end;

-- Which place a probe measured, and when. Its stays do not overlap.
create table probe_stay (
    site_id  int not null,
    probe_id int not null,
    place_id int not null,
    from_at  timestamptz not null,
    to_at    timestamptz not null default '9999-01-01 00:00+00',
    primary key (site_id, probe_id, from_at),
    foreign key (site_id, probe_id) references probe (site_id, id),
    foreign key (site_id, place_id) references place (site_id, id),
    check (from_at < to_at)
);
create index on probe_stay (site_id, place_id);
insert into probe_stay (site_id, probe_id, place_id, from_at)
select site_id, id, place_id, '2000-01-01 00:00+00' from probe where place_id is not null;
alter table probe drop column place_id, drop column by_hand;

-- What was done to a probe or noticed of it: its clock, its place, its readings.
create table probe_note (
    site_id   int not null,
    id        bigint generated always as identity,
    probe_id  int not null,
    at        timestamptz not null,
    person_id int,
    text      text not null,
    primary key (site_id, id),
    foreign key (site_id, probe_id) references probe (site_id, id)
);
create index on probe_note (site_id, probe_id);
create trigger append_only before update or delete on probe_note for each row execute function refuse_change();

-- Checks of probes: what it read where the truth was known. offset_c is added
-- to its readings from then on.
create table probe_check (
    site_id     int not null,
    id          uuid not null,
    probe_id    int not null,
    at          timestamptz not null,
    person_id   int not null,
    method      text not null check (method in ('ice', 'boiling', 'reference')),
    read_c      double precision not null,
    true_c      double precision not null,
    altitude_m  double precision not null default 0,
    offset_c    double precision not null,
    passed      boolean not null,
    note        text not null default '',
    primary key (site_id, id),
    foreign key (site_id, probe_id) references probe (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on probe_check (site_id, probe_id, at);
create trigger append_only before update or delete on probe_check for each row execute function refuse_change();

-- A token that may only send the readings of one probe.
alter table api_token add column probe_id int;
alter table api_token add foreign key (site_id, probe_id) references probe (site_id, id);

-- The last value that a handheld thermometer or a scale sent.
create table device_value (
    site_id  int not null,
    probe_id int not null,
    at       timestamptz not null,
    value    double precision not null,
    primary key (site_id, probe_id),
    foreign key (site_id, probe_id) references probe (site_id, id)
);

-- Alarms of places, each with when it began, was raised and ended. A safety
-- stop is never silenced.
create table alarm (
    site_id   int not null,
    id        uuid not null,
    place_id  int not null,
    probe_id  int not null,
    kind      text not null check (kind in ('warm', 'freezing', 'silent', 'doors')),
    since     timestamptz not null,
    raised_at timestamptz not null,
    ended_at  timestamptz,
    worst_c   double precision not null,
    limit_c   double precision not null,
    openings  int not null default 0,
    stops     boolean not null,
    primary key (site_id, id),
    foreign key (site_id, place_id) references place (site_id, id),
    foreign key (site_id, probe_id) references probe (site_id, id)
);
create unique index on alarm (site_id, probe_id, kind, since);
create index on alarm (site_id, raised_at desc);

-- What was done about an alarm: the corrective actions, kept as records.
create table alarm_action (
    site_id   int not null,
    id        uuid not null,
    alarm_id  uuid not null,
    at        timestamptz not null,
    person_id int not null,
    action    text not null,
    note      text not null default '',
    primary key (site_id, id),
    foreign key (site_id, alarm_id) references alarm (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on alarm_action (site_id, alarm_id);
create trigger append_only before update or delete on alarm_action for each row execute function refuse_change();

-- Places whose alarms are to be looked at again, from when on.
create table stale_place (
    site_id  int not null,
    place_id int not null,
    from_at  timestamptz not null,
    primary key (site_id, place_id)
);

-- What was confirmed for the files of a logger, by what its files have in common.
create table logger_layout (
    site_id     int not null references site,
    fingerprint text not null,
    unit        text not null,
    date_order  text not null,
    zone        text not null,
    temp_column int not null,
    place_id    int,
    used_at     timestamptz not null,
    primary key (site_id, fingerprint)
);

-- Since when readings are kept: older partitions were dropped, their roll-up
-- stays. One row.
create table retention (
    only_row  boolean primary key default true check (only_row),
    kept_from timestamptz not null
);
insert into retention (kept_from) values ('1970-01-01 00:00+00');

-- Drops the partitions of whole months before a time, each in one step however
-- many rows it has, and returns how many they were.
-- +goose StatementBegin
create function drop_readings_before(before timestamptz) returns int language plpgsql as $$
declare
    name text;
    n    int := 0;
begin
    perform pg_advisory_xact_lock(hashtext('ensure_reading_month'));
    for name in
        select c.relname from pg_inherits i join pg_class c on c.oid = i.inhrelid
        where i.inhparent = 'reading'::regclass and c.relname < 'reading_' || to_char(before at time zone 'UTC', 'YYYY_MM')
    loop
        execute format('drop table %I', name);
        n := n + 1;
    end loop;
    if n > 0 then
        update retention set kept_from = greatest(kept_from, date_trunc('month', before at time zone 'UTC') at time zone 'UTC');
    end if;
    return n;
end $$;
-- +goose StatementEnd

-- The kitchen's own: hours in which only safety stops sound, its altitude (for
-- the boiling point), how often probes are checked.
alter table site
    add column quiet_from  text not null default '22:00',
    add column quiet_to    text not null default '06:00',
    add column altitude_m  double precision not null default 0,
    add column check_days  int not null default 30 check (check_days between 1 and 400);

-- The clock of reduced-oxygen packs on the board, '' for other lots.
alter table lot_board
    add column oxygen       text not null default '',
    add column oxygen_share double precision not null default 0,
    add column pack         text not null default '';

-- +goose Down
alter table lot_board drop column oxygen, drop column oxygen_share, drop column pack;
alter table site drop column quiet_from, drop column quiet_to, drop column altitude_m, drop column check_days;
drop function drop_readings_before;
drop table retention, logger_layout, stale_place, alarm_action, alarm, device_value;
alter table api_token drop column probe_id;
drop table probe_check, probe_note;
alter table probe add column place_id int, add column by_hand boolean not null default false;
update probe p set by_hand = p.kind = 'hand', place_id = (select s.place_id from probe_stay s where s.site_id = p.site_id and s.probe_id = p.id order by s.from_at desc limit 1);
drop table probe_stay;
alter table probe drop column touched, drop column kind, drop column last_at, drop column last_c, drop column ahead_s, drop column ahead_from;
drop sequence probe_touch;
alter table place drop column air, drop column capacity_kg, drop column holds, drop column plan_col, drop column plan_level, drop column warm_c, drop column cold_c, drop column delay_minutes;
