-- +goose Up

-- The label printer of a kitchen, and the size of its labels: an id of label.Medias.
alter table site add column printer text not null default '', add column label_media text not null default 'roll-62x40';

-- +goose Down
alter table site drop column printer, drop column label_media;
