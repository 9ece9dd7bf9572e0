-- +goose Up

-- What a lot may be served as from now on, and the transaction that wrote its row: who looks at the
-- board asks for the rows that were written since.
alter table lot_board add column outlook jsonb not null default '[]';
alter table lot_board add column written bigint not null default 0;
create index on lot_board (site_id, written);

insert into stale_lot (site_id, lot_id) select site_id, lot_id from lot_board where status = 'on hand' on conflict do nothing;

-- +goose Down
alter table lot_board drop column outlook, drop column written;
