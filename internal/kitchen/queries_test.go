package kitchen_test

import (
	"context"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// What people do most costs few statements, transaction included: lots are loaded once,
// however many there are and whatever is checked of them. The lots have lain in a walk-in
// whose probe measures since an hour.
func TestFewStatements(t *testing.T) {
	f := newFreezerBench(t)
	walkIn := f.bench.probe("walk-in", f.walkIn)
	measured := func(d time.Duration) {
		var readings []coldchain.Reading
		for at := f.now; at.Before(f.now.Add(d)); at = at.Add(time.Minute) {
			readings = append(readings, coldchain.Reading{At: at, Celsius: 1.2})
		}
		f.bench.now = f.now.Add(d)
		f.must(f.DB.Write(f.ctx, func(tx *store.Tx) error {
			_, err := tx.PutReadings(f.ctx, walkIn, store.BatchOf(readings))
			return err
		}))
	}
	count := func(what string, most int64, do func(ctx context.Context) error) {
		t.Helper()
		var n atomic.Int64
		f.must(do(store.WithCounter(f.ctx, &n)))
		if n.Load() > most {
			t.Errorf("%s takes %d statements, at most %d", what, n.Load(), most)
		}
	}
	three := f.receive("cod", "cod", "salmon")
	events := func() map[uuid.UUID]uuid.UUID {
		m := map[uuid.UUID]uuid.UUID{}
		for _, r := range three {
			m[r.LotID] = kitchen.NewID()
		}
		return m
	}
	count("inspect one", 18, func(ctx context.Context) error {
		return f.Inspect(ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: three[0].LotID, At: f.now,
			Fish: []freshness.Fish{{Signs: freshness.Signs{"skin": 0, "belly": 0, "smell": 0, "stiffness": 0,
				"eye_shape": 0, "eye_clarity": 0, "gill_colour": 0, "gill_smell": 0}}}})
	})
	count("move three", 23, func(ctx context.Context) error { return f.MoveAll(ctx, f.walkIn, events()) })
	measured(time.Hour)
	count("log a core", 18, func(ctx context.Context) error {
		return f.Append(ctx, f.write(three[0].LotID, lot.Temperature{Celsius: 1}))
	})
	froze := f.froze()
	count("freeze three", 24, func(ctx context.Context) error {
		return f.Freeze(ctx, kitchen.FreezeBatch{Events: events(), At: f.now, Froze: froze})
	})
	f.passes(48*time.Hour, -22)
	order := kitchen.ThawOrder{ServeAt: f.now.Add(30 * time.Hour), SpeciesID: "salmon", Form: "whole", Portions: 1,
		PortionKg: 3, EndUse: thawing.Cook}
	id := kitchen.NewID()
	f.must(f.SaveThaw(f.ctx, id, order))
	thaw, err := f.Thaw(f.ctx, id)
	f.must(err)
	for _, s := range thaw.Lines[0].Steps {
		if s.Step == "pull" {
			count("pull", 45, // one notes the lot that was split off
				func(ctx context.Context) error {
					return f.CompleteThawStep(ctx, kitchen.ThawStepDone{PlanID: id, N: thaw.Lines[0].N, Seq: s.Seq,
						EventID: kitchen.NewID(), At: f.now})
				})
		}
	}
}
