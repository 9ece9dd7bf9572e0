-- +goose Up

-- Fish of a dealer, who is approved or registered and never a catcher, came through a first
-- receiver's gate: a manager says who is one, by which number, and until when that stands.
alter table supplier
    add column kind        text not null default 'boat' check (kind in ('boat', 'dealer')),
    add column approval    text not null default '',
    add column approved_to date;

-- A freezing letter names the supplier's lot, and how it was frozen. A harvest record says that the
-- catcher chilled it in time.
alter table parasite_letter
    drop constraint parasite_letter_kind_check,
    add constraint parasite_letter_kind_check check (kind in ('farmed', 'frozen', 'harvest_record')),
    add column supplier_lot text not null default '',
    add column route_c      double precision not null default 0,
    add column route_hours  double precision not null default 0;

-- +goose Down
alter table parasite_letter
    drop column supplier_lot, drop column route_c, drop column route_hours,
    drop constraint parasite_letter_kind_check;
delete from parasite_letter where kind = 'harvest_record';
alter table parasite_letter add constraint parasite_letter_kind_check check (kind in ('farmed', 'frozen'));
alter table supplier drop column kind, drop column approval, drop column approved_to;
