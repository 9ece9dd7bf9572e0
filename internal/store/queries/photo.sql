-- name: AddPhoto :exec
insert into photo (site_id, id, created_at, person_id, width, height, sha256, jpeg, thumb)
values ($1, $2, $3, $4, $5, $6, $7, $8, $9);

-- name: PhotoJPEG :one
select jpeg from photo where site_id = $1 and id = $2;

-- name: PhotoThumb :one
select thumb from photo where site_id = $1 and id = $2;
