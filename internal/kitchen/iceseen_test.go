package kitchen_test

import (
	"errors"
	"testing"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// One tap on a place says that there is ice around its fish: two of them, no further apart than the
// rules allow, answer for the time between in a place that nothing measures.
func TestIceThatWasSeen(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	seen := func(at time.Time) error {
		return b.LogIce(b.ctx, kitchen.NewIce{ID: kitchen.NewID(), PlaceID: b.walkIn, At: at, Kind: icing.Seen, Kg: 7})
	}
	state := func() assess.Reading {
		t.Helper()
		card, err := b.Card(b.ctx, row.LotID)
		b.must(err)
		for _, r := range card.Assessment.Clocks {
			if r.ID == assess.ClockOutOfCold {
				return r
			}
		}
		return assess.Reading{}
	}
	b.must(seen(b.now))
	b.now = b.now.Add(14 * time.Hour)
	b.must(seen(b.now))
	b.now = b.now.Add(14 * time.Hour)
	if r := state(); r.State != "ok" {
		t.Errorf("looked at twice a day: %s, %s", r.State, r.Why)
	}
	b.now = b.now.Add(2 * time.Hour)
	if r := state(); r.State != "unknown" {
		t.Errorf("sixteen hours after the last look: %s", r.State)
	}
	var bad invalid.Errors
	if err := seen(b.now.Add(-25 * time.Hour)); !errors.As(err, &bad) || bad.On("at") == "" {
		t.Errorf("remembered a day later: %v", err)
	}
	if err := b.LogIce(b.ctx, kitchen.NewIce{ID: kitchen.NewID(), PlaceID: b.walkIn, At: b.now, Kind: icing.Found, Kg: 3}); !errors.As(err, &bad) ||
		bad.On("kg") == "" {
		t.Errorf("kilos in a place that is no box: %v", err)
	}
}
