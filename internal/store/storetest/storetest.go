// Package storetest makes databases for tests.
package storetest

import (
	"bufio"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"leancatch/internal/store"
)

// Env names the variable with the URL of a server on which tests may make
// databases; make test sets it.
const Env = "LEANCATCH_TEST_DB"

// New makes an empty, migrated database that is dropped after the test: a copy of one
// that was migrated once. The test is skipped where Env is not set.
func New(t testing.TB) *store.DB {
	t.Helper()
	admin := connect(t)
	template, err := migrated(admin)
	if err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(context.Background(), create(t, admin, "template "+template+" strategy file_copy"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	return db
}

// Template is a database that is filled once, for tests that each copy it.
type Template struct {
	Fill func(*store.DB) error
	once sync.Once
	name string
	err  error
}

// New makes a copy of it, which is dropped after the test.
func (f *Template) New(t testing.TB) *store.DB {
	t.Helper()
	admin := connect(t)
	f.once.Do(func() { f.err = f.make(admin) })
	if f.err != nil {
		t.Fatal(f.err)
	}
	db, err := store.Open(context.Background(), create(t, admin, "template "+f.name+" strategy file_copy"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Close)
	return db
}

func (f *Template) make(admin *pgx.Conn) error {
	ctx := context.Background()
	empty, err := migrated(admin)
	if err != nil {
		return err
	}
	f.name = "filled_" + strings.ReplaceAll(uuid.NewString(), "-", "")
	if _, err := admin.Exec(ctx, "create database "+f.name+" template "+empty+" strategy file_copy"); err != nil {
		return err
	}
	db, err := store.Open(ctx, named(os.Getenv(Env), f.name))
	if err != nil {
		return err
	}
	defer db.Close()
	return f.Fill(db)
}

// Drop drops it, after all tests.
func (f *Template) Drop() {
	if f.name == "" {
		return
	}
	ctx := context.Background()
	admin, err := pgx.Connect(ctx, os.Getenv(Env))
	if err == nil {
		_, err = admin.Exec(ctx, "drop database "+f.name+" with (force)")
		admin.Close(ctx)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "dropping a template:", err)
	}
}

// NewURL makes an empty database without a schema, which is dropped after the test, and
// returns its URL.
func NewURL(t testing.TB) string {
	t.Helper()
	return create(t, connect(t), "template template0")
}

// server is the URL of the server on which tests may make databases.
func server(t testing.TB) string {
	t.Helper()
	url := os.Getenv(Env)
	if url == "" {
		t.Skipf("%s is not set: run make test", Env)
	}
	return url
}

// connect opens a connection to the server that is closed after the test.
func connect(t testing.TB) *pgx.Conn {
	t.Helper()
	conn, err := pgx.Connect(context.Background(), server(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) })
	return conn
}

// create makes a database and returns its URL.
func create(t testing.TB, admin *pgx.Conn, from string) string {
	t.Helper()
	ctx := context.Background()
	name := "test_" + strings.ReplaceAll(uuid.NewString(), "-", "")
	if _, err := admin.Exec(ctx, "create database "+name+" "+from); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := admin.Exec(ctx, fmt.Sprintf("drop database %s with (force)", name)); err != nil {
			t.Error(err)
		}
	})
	return named(server(t), name)
}

// named is the URL of another database of the server.
func named(server, database string) string {
	u, err := url.Parse(server)
	if err != nil {
		panic(err) // it was connected to
	}
	u.Path = "/" + database
	return u.String()
}

// makingTemplate is the lock that a test holds while it makes the template.
const makingTemplate = 7294

// migrated returns the name of a database with the present schema to copy. The first
// test that wants it makes it; nobody stays connected to it, or it could not be copied.
func migrated(admin *pgx.Conn) (string, error) {
	ctx := context.Background()
	schema, err := schemaHash()
	if err != nil {
		return "", err
	}
	name := "template_" + schema
	if _, err := admin.Exec(ctx, "select pg_advisory_lock($1)", makingTemplate); err != nil {
		return "", err
	}
	defer admin.Exec(ctx, "select pg_advisory_unlock($1)", makingTemplate)
	var there bool
	err = admin.QueryRow(ctx, "select exists(select from pg_database where datname = $1)", name).Scan(&there)
	if err != nil || there {
		return name, err
	}
	making := name + "_making" // what a killed test left half done is made anew
	if _, err := admin.Exec(ctx, "drop database if exists "+making+" with (force)"); err != nil {
		return "", err
	}
	if _, err := admin.Exec(ctx, "create database "+making+" template template0"); err != nil {
		return "", err
	}
	db, err := store.Open(ctx, named(os.Getenv(Env), making))
	if err != nil {
		return "", err
	}
	err = db.Migrate(ctx)
	db.Close()
	if err != nil {
		return "", err
	}
	_, err = admin.Exec(ctx, "alter database "+making+" rename to "+name)
	return name, err
}

// schemaHash is the same for the same migrations.
func schemaHash() (string, error) {
	_, here, _, _ := runtime.Caller(0)
	files, err := filepath.Glob(filepath.Join(filepath.Dir(here), "../migrations/*.sql"))
	if err != nil || len(files) == 0 {
		return "", fmt.Errorf("no migrations beside %s: %w", here, err)
	}
	sum := sha256.New()
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil {
			return "", err
		}
		sum.Write(text)
	}
	return hex.EncodeToString(sum.Sum(nil))[:16], nil
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

// SameBoard reports whether two readings of a board say the same, whoever wrote them when.
func SameBoard(a, b []store.LotBoard) bool {
	unwritten := func(rows []store.LotBoard) []store.LotBoard {
		rows = slices.Clone(rows)
		for i := range rows {
			rows[i].Written = 0
		}
		return rows
	}
	return reflect.DeepEqual(unwritten(a), unwritten(b))
}
