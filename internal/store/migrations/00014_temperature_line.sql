-- +goose Up

-- The roll-up counts the time above three temperatures more: 3, 4 and 30 °C. Until the hours are
-- rolled up again from the readings, which the program does next, and for good where those are no
-- longer kept, the time above the next lower one that was counted stands in: it is at least as much.
update reading_hour set above_s = above_s[1:4] || above_s[4] || above_s[5] || above_s[5] || above_s[6:11] || above_s[11]
where cardinality(above_s) = 11;

-- The probes whose hours are to be rolled up again.
create table stale_hours (
    site_id  int not null,
    probe_id int not null,
    primary key (site_id, probe_id),
    foreign key (site_id, probe_id) references probe (site_id, id) on delete cascade
);
alter table stale_hours enable row level security;
create policy fence on stale_hours to leancatch_app
    using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()));
insert into stale_hours select site_id, id from probe;

-- +goose Down
update reading_hour set above_s = above_s[1:4] || above_s[6] || above_s[8:13] where cardinality(above_s) = 14;
drop table stale_hours;
