// Package storetest makes databases for tests.
package storetest

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/google/uuid"

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
