-- +goose Up

-- What the fish of a lot became: a part that was split or cut off, or a lot that it was put with. As the events of the lots say it; what
-- was cancelled stays here, and its lot says so.
create table lot_link (
    site_id  int not null,
    from_lot uuid not null,
    to_lot   uuid not null,
    at       timestamptz not null,
    together boolean not null, -- it was put with that
    primary key (site_id, from_lot, to_lot),
    foreign key (site_id, from_lot) references lot (site_id, id),
    foreign key (site_id, to_lot) references lot (site_id, id)
);
create index on lot_link (site_id, to_lot);
insert into lot_link
select e.site_id, (e.data ->> 'parent_id')::uuid, e.lot_id, e.happened_at, false from lot_event e where e.kind = 'part_of'
union all
select e.site_id, e.lot_id, (e.data ->> 'lot_id')::uuid, e.happened_at, true from lot_event e where e.kind = 'put_with'
on conflict do nothing;

-- Where lots lay. A stay that was corrected may stand here as it was, too: who asks looks at the lot.
create table lot_stay (
    site_id  int not null,
    lot_id   uuid not null,
    place_id int not null,
    from_at  timestamptz not null,
    to_at    timestamptz not null, -- the year 9999 while it lies there
    primary key (site_id, lot_id, place_id, from_at),
    foreign key (site_id, lot_id) references lot (site_id, id)
);
create index on lot_stay (site_id, place_id, to_at);
insert into lot_stay
select m.site_id, m.lot_id, m.place_id, m.happened_at, lead(m.happened_at, 1, last) over (partition by m.site_id, m.lot_id order by m.happened_at, m.seq)
from (
    select e.site_id, e.lot_id, (e.data ->> 'place_id')::int as place_id, e.happened_at, e.seq,
        case when b.status = 'on hand' then timestamptz '9999-01-01 00:00Z' else (select max(x.happened_at) from lot_event x where x.site_id = e.site_id and x.lot_id = e.lot_id) end as last
    from lot_event e join lot_board b on b.site_id = e.site_id and b.lot_id = e.lot_id
    where e.kind in ('received', 'moved') and e.data ->> 'place_id' is not null
) m where m.place_id > 0
on conflict do nothing;

-- Where a recall begins: the supplier's number, in small letters, and when it was caught.
alter table lot_board add column supplier_lot text not null default '', add column caught_at timestamptz;
update lot_board b set supplier_lot = lower(coalesce(e.data ->> 'supplier_lot', e.data -> 'received' ->> 'supplier_lot', ''))
from lot_event e where e.site_id = b.site_id and e.lot_id = b.lot_id and e.seq = 1;
update lot_board b set caught_at = e.happened_at
from lot_event e where e.site_id = b.site_id and e.lot_id = b.lot_id and e.kind = 'caught';
insert into stale_lot (site_id, lot_id) select site_id, lot_id from lot_board where status = 'on hand' on conflict do nothing;
create index on lot_board (site_id, supplier_lot) where supplier_lot <> '';
create index on lot_board (site_id, caught_at) where caught_at is not null;
create index on lot_board (site_id, species, received_at);

-- A recall, or a drill of one: what was asked for, and what it found.
create table recall (
    site_id    int not null references site,
    id         uuid not null,
    at         timestamptz not null, -- when it was begun
    done_at    timestamptz,          -- when all was found
    person_id  int not null,
    drill      boolean not null,
    reason     text not null,
    asked      json not null,        -- what it goes by
    lots       uuid[] not null,      -- that are touched
    held       uuid[] not null default '{}', -- that were put on hold by it
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
create index on recall (site_id, at);

-- A recall goes on to the kitchens that fish was sent to, with the reason as the note.
alter table transfer add column note text not null default '';
alter table transfer drop constraint transfer_side_check;
alter table transfer add constraint transfer_side_check check (side in ('asks', 'asked', 'sends', 'receives', 'recalls', 'recalled'));

-- +goose StatementBegin
do $$
declare
    name text;
begin
    foreach name in array array['lot_link', 'lot_stay', 'recall'] loop
        execute format('alter table %I enable row level security', name);
        execute format('create policy fence on %I to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))', name);
        execute format('create policy everywhere on %I to leancatch_all using (true) with check (true)', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
delete from transfer where side in ('recalls', 'recalled');
alter table transfer drop constraint transfer_side_check;
alter table transfer add constraint transfer_side_check check (side in ('asks', 'asked', 'sends', 'receives'));
alter table transfer drop column note;
alter table lot_board drop column supplier_lot, drop column caught_at;
drop table recall, lot_stay, lot_link;
