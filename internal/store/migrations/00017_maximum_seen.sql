-- +goose Up

-- The highest temperature that the thermometer of a place shows since it was last read.
alter table probe drop constraint probe_kind_check;
alter table probe add constraint probe_kind_check
    check (kind in ('fixed', 'logger', 'hand', 'maximum', 'thermometer', 'scale', 'hygrometer'));

-- +goose Down
update probe set kind = 'hand' where kind = 'maximum';
alter table probe drop constraint probe_kind_check;
alter table probe add constraint probe_kind_check
    check (kind in ('fixed', 'logger', 'hand', 'thermometer', 'scale', 'hygrometer'));
