package store_test

import (
	"context"
	"testing"

	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// The schema goes back, step by step to nothing, and comes up again.
func TestMigrationsGoBackAndForth(t *testing.T) {
	db := storetest.New(t)
	ctx := store.Everywhere(context.Background())
	must(t, db.Unmigrate(ctx, 0))
	must(t, db.Migrate(ctx))
	must(t, db.Migrated(ctx))
	if list, err := db.Sites(ctx); err != nil || len(list) != 0 {
		t.Errorf("%v, %v", list, err)
	}
}
