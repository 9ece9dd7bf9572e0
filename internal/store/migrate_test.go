package store_test

import (
	"context"
	"math/rand/v2"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
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

// The hours of an earlier version count the time above fewer temperatures: they are rolled up again
// from the readings; where these are gone, they count at least as much.
func TestHoursAreRolledUpAgain(t *testing.T) {
	db := storetest.New(t)
	ctx := store.Everywhere(context.Background())
	p := probe(t, db)
	readings := walk(rand.New(rand.NewPCG(5, 1)), 400)
	put(t, db, p, readings)
	span := coldchain.Span{From: readings[0].At.Truncate(time.Hour), To: readings[len(readings)-1].At.Truncate(time.Hour)}
	above := func() [3]float64 {
		t.Helper()
		rolled, err := db.Rolled(ctx, db.Queries, p, []coldchain.Span{span})
		must(t, err)
		e, _ := rolled.Exposure(span)
		return [3]float64{e.HoursAbove(3), e.HoursAbove(4), e.HoursAbove(30)}
	}
	want := above()
	must(t, db.Unmigrate(ctx, 13))
	must(t, db.Migrate(ctx))
	if got := above(); got != want || want[0] <= want[1] {
		t.Errorf("hours above 3, 4 and 30 °C: %v, want %v", got, want)
	}
	if _, err := db.Pool.Exec(ctx, "delete from reading"); err != nil {
		t.Fatal(err)
	}
	want = above()
	must(t, db.Unmigrate(ctx, 13))
	must(t, db.Migrate(ctx))
	if got := above(); got[0] < want[0] || got[1] < want[1] || got[2] < want[2] {
		t.Errorf("without readings: %v, at least %v", got, want)
	}
}
