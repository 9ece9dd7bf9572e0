-- +goose Up

-- What the page of a supplier draws on. The projection is made anew at the
-- next start (leancatch rebuild), or as lots change.
alter table lot_board
    add column part           boolean not null default false,
    add column core_c         double precision,
    add column gap_days       double precision,
    add column rework_minutes double precision not null default 0,
    add column rework_cents   int not null default 0,
    add column refused_for    text not null default '',
    add column claims         jsonb not null default '[]';
create index on lot_board (site_id, supplier_id, received_at desc);

-- +goose Down
alter table lot_board drop column part, drop column core_c, drop column gap_days, drop column rework_minutes, drop column rework_cents,
    drop column refused_for, drop column claims;
