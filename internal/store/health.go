package store

import (
	"context"
	"fmt"
	"strings"
	"syscall"

	"github.com/jackc/pgx/v5"
)

// How much room the disk of the database needs, bytes: below the first somebody should make some, below
// the second nothing can be relied on.
const (
	LowDisk  = 512 << 20
	FullDisk = 8 << 20
)

// secretTables are those of signing in: no page of a site can read them.
var secretTables = []string{"account", "pin", "session", "throttle", "setup_link", "known_browser", "failed_try"}

// Health tells what is not as it must be: schema, roles, fences, grants, and a disk with less room than
// some bytes. It is empty where all is well.
func (db *DB) Health(ctx context.Context, room uint64) (faults []string) {
	ctx = Everywhere(ctx)
	fault := func(format string, args ...any) { faults = append(faults, fmt.Sprintf(format, args...)) }
	if err := db.Migrated(ctx); err != nil {
		return []string{err.Error()}
	}
	names := func(what, sql string, args ...any) []string {
		rows, err := db.lanes.Query(ctx, sql, args...)
		if err != nil {
			fault("%s: %v", what, err)
			return nil
		}
		list, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			fault("%s: %v", what, err)
		}
		return list
	}
	for _, role := range names("roles", `select r from unnest($1::text[]) r
		where not exists (select from pg_roles where rolname = r and not rolsuper and not rolbypassrls and not rolcanlogin)`,
		[]string{fencedRole, openRole}) {
		fault("the role %s is missing, or may do more than it must", role)
	}
	for _, table := range names("fences", `select c.relname from pg_class c
		where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition
			and (c.relname = 'site' or exists (select from pg_attribute a where a.attrelid = c.oid and a.attname = 'site_id' and not a.attisdropped))
			and not (c.relrowsecurity
				and (select count(*) = 2 from pg_policies p where p.tablename = c.relname)
				and exists (select from pg_policies p where p.tablename = c.relname and p.policyname = 'fence' and p.roles = array[$1::name]
					and p.permissive = 'PERMISSIVE' and p.qual ~ 'id = .*site_in_force\(\)' and p.with_check ~ 'id = .*site_in_force\(\)')
				and exists (select from pg_policies p where p.tablename = c.relname and p.policyname = 'everywhere' and p.roles = array[$2::name]))`,
		fencedRole, openRole) {
		fault("the table %s has no fence, or another one than it must", table)
	}
	for _, grant := range names("grants", `select r || ' may ' || p || ' ' || t from unnest($1::text[]) r, unnest($2::text[]) t, unnest(array['update', 'delete', 'truncate']) p
		where has_table_privilege(r, t, p)`, []string{fencedRole, openRole}, []string{"lot_event", "audit"}) {
		fault("what happened can be changed: %s", grant)
	}
	for _, table := range names("grants", `select t from unnest($1::text[]) t where has_table_privilege($2, t, 'select')`, secretTables, fencedRole) {
		fault("a page of a site could read the table %s", table)
	}
	for _, table := range names("grants", `select c.relname from pg_class c where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p')
		and c.relname <> 'goose_db_version' and not has_table_privilege($1, c.oid, 'select, insert')`, openRole) {
		fault("the application cannot use the table %s", table)
	}
	if free, ok := db.freeDisk(ctx); ok && free < room {
		fault("the disk of the database has %d MB left", free>>20)
	}
	return faults
}

// freeDisk is how much room the disk of the database has; it is not known where the server is another
// machine, or its login may not see where it lies.
func (db *DB) freeDisk(ctx context.Context) (free uint64, ok bool) {
	host := db.Pool.Config().ConnConfig.Host
	if host != "localhost" && host != "::1" && !strings.HasPrefix(host, "127.") && !strings.HasPrefix(host, "/") {
		return 0, false
	}
	var dir string
	if err := db.Pool.QueryRow(ctx, "select setting from pg_settings where name = 'data_directory'").Scan(&dir); err != nil {
		return 0, false
	}
	var fs syscall.Statfs_t
	if err := syscall.Statfs(dir, &fs); err != nil {
		return 0, false
	}
	return fs.Bavail * uint64(fs.Bsize), true
}
