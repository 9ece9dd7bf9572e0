package store

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/pressly/goose/v3"
)

// migrationFile is one migration of the program.
type migrationFile struct {
	version  int64
	up, down string
}

// migrationFiles are all, in order.
func migrationFiles() []migrationFile {
	entries, err := migrations.ReadDir("migrations")
	if err != nil {
		panic(err) // they are embedded
	}
	var list []migrationFile
	for _, e := range entries {
		text, err := migrations.ReadFile("migrations/" + e.Name())
		version, nameErr := goose.NumericComponent(e.Name())
		if err != nil || nameErr != nil {
			panic(e.Name() + " is no migration")
		}
		up, down, _ := strings.Cut(string(text), "-- +goose Down")
		list = append(list, migrationFile{version, up, down})
	}
	return list
}

// Lost is what taking the schema back to a version destroys.
type Lost struct {
	Database string
	From     int64
	What     []string // in words: tables with their rows, and columns
}

var (
	createTable = regexp.MustCompile(`(?mi)^create table (\w+)`)
	alterTable  = regexp.MustCompile(`(?is)alter table (\w+)([^;]*);`)
	addColumn   = regexp.MustCompile(`(?i)add column (\w+)`)
)

// LostBy tells what Unmigrate to a version would destroy: the tables and columns that later migrations
// made, where anything is in them.
func (db *DB) LostBy(ctx context.Context, version int64) (Lost, error) {
	lost := Lost{Database: db.Pool.Config().ConnConfig.Database}
	var err error
	if lost.From, err = db.SchemaVersion(ctx); err != nil {
		return lost, err
	}
	gone := map[string]bool{}
	for _, m := range migrationFiles() {
		if m.version <= version || m.version > lost.From {
			continue
		}
		for _, t := range createTable.FindAllStringSubmatch(m.up, -1) {
			gone[t[1]] = true
			if err := db.countLost(ctx, &lost, "table "+t[1], "select count(*) from "+pgx.Identifier{t[1]}.Sanitize(), "rows"); err != nil {
				return lost, err
			}
		}
		for _, t := range alterTable.FindAllStringSubmatch(m.up, -1) {
			for _, c := range addColumn.FindAllStringSubmatch(t[2], -1) {
				if gone[t[1]] {
					continue // with its table
				}
				lost.What = append(lost.What, fmt.Sprintf("column %s of %s", c[1], t[1]))
			}
		}
	}
	slices.Sort(lost.What)
	lost.What = slices.Compact(lost.What)
	if len(lost.What) == 0 {
		lost.What = []string{"nothing that is stored"}
	}
	return lost, nil
}

// countLost notes what a query counts, where it is any; a table that a later migration dropped or renamed
// holds none.
func (db *DB) countLost(ctx context.Context, lost *Lost, what, query, unit string) error {
	var n int64
	err := db.Pool.QueryRow(ctx, query).Scan(&n)
	switch {
	case IsUndefined(err):
		return nil
	case err != nil:
		return fmt.Errorf("%s: %w", what, err)
	case n > 0:
		lost.What = append(lost.What, fmt.Sprintf("%s with %d %s", what, n, unit))
	}
	return nil
}
