-- name: LockSite :one
select * from site where id = $1 for no key update;

-- name: AddHouseSpecies :exec
insert into house_species (site_id, id, version, data, created_at, person_id) values ($1, $2, $3, $4, $5, $6);

-- name: GatherOwnSpecies :one
-- What a kitchen made is written to its site. Lock the site before.
update site set own_species = coalesce((
    select json_agg(x.data order by x.id)::text
    from (select distinct on (h.id) h.id, h.data from house_species h where h.site_id = $1 order by h.id, h.version desc) x), '')
where site.id = $1 returning own_species;

-- name: HouseSpeciesVersions :many
select h.version, h.data, h.created_at, p.name as by
from house_species h join person p on p.site_id = h.site_id and p.id = h.person_id
where h.site_id = $1 and h.id = $2 order by h.version desc;

-- name: SpeciesReceived :many
select species, count(*) as lots from lot_board where site_id = $1 group by species;
