-- +goose Up

-- Photos, re-encoded; the event that took one names it and its hash.
create table photo (
    site_id    int not null references site,
    id         uuid not null,
    created_at timestamptz not null,
    person_id  int not null,
    width      int not null,
    height     int not null,
    sha256     bytea not null,
    jpeg       bytea not null,
    thumb      bytea not null,
    primary key (site_id, id),
    foreign key (site_id, person_id) references person (site_id, id)
);
alter table photo alter column jpeg set storage external, alter column thumb set storage external;
create trigger append_only before update or delete on photo for each row execute function refuse_change();

-- +goose Down
drop table photo;
