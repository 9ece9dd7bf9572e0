-- +goose Up

-- Ice that was seen around the fish of a place, box or none: without a weight (kg 0).
alter table ice_log drop constraint ice_log_kind_check;
alter table ice_log add constraint ice_log_kind_check check (kind in ('found', 'added', 'melted', 'seen'));

-- +goose Down
delete from ice_log where kind = 'seen';
alter table ice_log drop constraint ice_log_kind_check;
alter table ice_log add constraint ice_log_kind_check check (kind in ('found', 'added', 'melted'));
