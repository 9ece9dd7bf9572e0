-- +goose Up

-- A token may show what is due to a calendar, and nothing else.
alter table api_token drop constraint api_token_scopes_check;
alter table api_token add constraint api_token_scopes_check check (scopes <@ '{read,write,readings,calendar}');

-- +goose Down
delete from api_token where 'calendar' = any(scopes);
alter table api_token drop constraint api_token_scopes_check;
alter table api_token add constraint api_token_scopes_check check (scopes <@ '{read,write,readings}');
