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
	version int64
	up      string
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
		up, _, _ := strings.Cut(string(text), "-- +goose Down")
		list = append(list, migrationFile{version, up})
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
			n, err := db.countRows(ctx, t[1])
			if err != nil {
				return lost, err
			}
			if n > 0 {
				lost.What = append(lost.What, fmt.Sprintf("table %s with %d rows", t[1], n))
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

// countRows counts the rows of a table; one that a later migration dropped or renamed has none.
func (db *DB) countRows(ctx context.Context, table string) (n int64, err error) {
	err = db.Pool.QueryRow(ctx, "select count(*) from "+pgx.Identifier{table}.Sanitize()).Scan(&n)
	if IsUndefined(err) {
		return 0, nil
	}
	if err != nil {
		return 0, fmt.Errorf("table %s: %w", table, err)
	}
	return n, nil
}
