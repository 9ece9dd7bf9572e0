// Package storetest makes databases for tests.
package storetest

import (
	"bufio"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"leancatch/internal/store"
)

// Env names the variable with the URL of a server on which tests may make
// databases; make test sets it.
const Env = "LEANCATCH_TEST_DB"

// New makes an empty, migrated database that is dropped after the test. The
// test is skipped where Env is not set.
func New(t testing.TB) *store.DB {
	t.Helper()
	db, err := store.Open(context.Background(), NewURL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	if err := db.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	return db
}

// NewURL makes an empty database that is dropped after the test and returns its URL.
func NewURL(t testing.TB) string {
	t.Helper()
	server := os.Getenv(Env)
	if server == "" {
		t.Skipf("%s is not set: run make test", Env)
	}
	ctx := context.Background()
	admin, err := store.Open(ctx, server)
	if err != nil {
		t.Fatal(err)
	}
	name := "test_" + strings.ReplaceAll(uuid.NewString(), "-", "")
	if _, err := admin.Pool.Exec(ctx, "create database "+name); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := admin.Pool.Exec(ctx, fmt.Sprintf("drop database %s with (force)", name)); err != nil {
			t.Error(err)
		}
		admin.Close()
	})
	u, err := url.Parse(server)
	if err != nil {
		t.Fatal(err)
	}
	u.Path = "/" + name
	return u.String()
}

// makeRole makes the role that a dump grants rights to: roles belong to the server
// and are in no dump.
const makeRole = `do $$
begin
    create role leancatch_app nologin;
exception when duplicate_object or unique_violation then null;
end $$`

// Restore makes a database from a gzipped plain-text dump of pg_dump, brings it up
// to the present schema, and drops it after the test.
func Restore(t testing.TB, path string) *store.DB {
	t.Helper()
	ctx := context.Background()
	url := NewURL(t)
	file, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	dump, err := gzip.NewReader(file)
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(ctx, makeRole); err != nil {
		t.Fatal(err)
	}
	if err := replay(ctx, conn, dump); err != nil {
		t.Fatalf("restoring %s: %v", path, err)
	}
	conn.Close(ctx)
	db, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	if err := db.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	return db
}

// replay runs the statements of a dump and copies its data. Lines that begin with a
// backslash are commands of psql.
func replay(ctx context.Context, conn *pgx.Conn, dump io.Reader) error {
	lines := bufio.NewReader(dump)
	var sql strings.Builder
	run := func() error {
		_, err := conn.PgConn().Exec(ctx, sql.String()).ReadAll()
		sql.Reset()
		return err
	}
	for {
		line, err := lines.ReadString('\n')
		if err == io.EOF {
			return run()
		}
		if err != nil {
			return err
		}
		switch {
		case strings.HasPrefix(line, `\`):
		case strings.HasPrefix(line, "COPY "):
			if err := run(); err != nil {
				return err
			}
			var rows strings.Builder
			for {
				row, err := lines.ReadString('\n')
				if err != nil {
					return err
				}
				if row == "\\.\n" {
					break
				}
				rows.WriteString(row)
			}
			if _, err := conn.PgConn().CopyFrom(ctx, strings.NewReader(rows.String()),
				strings.TrimSuffix(line, ";\n")); err != nil {
				return err
			}
		default:
			sql.WriteString(line)
		}
	}
}
