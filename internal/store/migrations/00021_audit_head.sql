-- +goose Up

-- The last entry of each site's audit: where its end was cut off, it does not lead here any more.
create table audit_head (
    site_id int primary key,
    seq     int not null,
    hash    bytea not null
);
insert into audit_head (site_id, seq, hash)
select distinct on (site_id) site_id, seq, hash from audit order by site_id, seq desc;

alter table audit_head enable row level security;
create policy fence on audit_head to leancatch_app using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
create policy everywhere on audit_head to leancatch_all using (true) with check (true);
revoke delete on audit_head from leancatch_app, leancatch_all;

-- +goose Down
drop table audit_head;
