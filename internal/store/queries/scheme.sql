-- name: HouseSchemes :many
select distinct on (id) * from house_scheme where site_id = $1 order by id, version desc;

-- name: HouseScheme :one
select * from house_scheme where site_id = $1 and id = $2 and version = $3;

-- name: AddHouseScheme :exec
insert into house_scheme (site_id, id, version, data, retired, created_at, person_id) values ($1, $2, $3, $4, $5, $6, $7);

-- name: HouseCalibrations :many
select distinct on (scheme) * from house_calibration where site_id = $1 and species = $2 order by scheme, created_at desc;

-- name: AddHouseCalibration :exec
insert into house_calibration (site_id, scheme, species, created_at, data, person_id) values ($1, $2, $3, $4, $5, $6);
