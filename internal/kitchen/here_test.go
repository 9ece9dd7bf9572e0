package kitchen_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
)

// A kitchen begins with a full fridge: its fish may be cooked by one statement of a manager, and is
// never raw, however well it is kept from then on.
func TestStartWithWhatIsHere(t *testing.T) {
	b := newBench(t)
	warmest := 3.0
	day := b.now.Add(-40 * time.Hour)
	in := kitchen.WhatIsHere{ID: kitchen.NewID(), PlaceID: b.walkIn, Explanation: "iced each evening, says the chef", WarmestC: &warmest,
		Lines: []kitchen.HereLine{{SpeciesID: "cod", Form: "gutted", WeightKg: 4, CameAt: day, Count: 2},
			{SpeciesID: "mackerel", Form: "whole", WeightKg: 2, CameAt: day}, {SpeciesID: "salmon", Form: "fillet_skin_on", WeightKg: 1, CameAt: b.now.Add(-time.Hour)}}}
	var bad invalid.Errors
	if err := b.StartWithWhatIsHere(b.ctx, in); !errors.As(err, &bad) || !bad.OnlyManager() {
		t.Errorf("without a manager: %v", err)
	}
	for field, l := range map[string]kitchen.HereLine{"species": {SpeciesID: "codd", Form: "gutted", WeightKg: 1, CameAt: day},
		"weight_kg": {SpeciesID: "cod", Form: "gutted", CameAt: day}, "came": {SpeciesID: "cod", Form: "gutted", WeightKg: 1}} {
		wrong := in
		wrong.Lines = []kitchen.HereLine{in.Lines[0], l}
		if err := b.StartWithWhatIsHere(b.manager, wrong); !errors.As(err, &bad) || bad.On("lines[1]."+field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	b.must(b.StartWithWhatIsHere(b.manager, in))
	b.must(b.StartWithWhatIsHere(b.manager, in)) // sent twice
	board, err := b.Board(b.ctx)
	b.must(err)
	if len(board.Rows) != 3 {
		t.Fatalf("%d lots", len(board.Rows))
	}
	quick := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range []string{"eyes", "gills", "smell", "press", "skin"} {
		quick.Signs[sign] = 0
	}
	for _, r := range board.Rows {
		if s := r.ServedAt(b.now); s.Serving != assess.ServeNone {
			t.Errorf("%s, which nobody has looked at, is fit for %q", r.Species.Name, s.Serving)
		}
		if r.Form == "fillet_skin_on" {
			continue
		}
		b.must(b.Inspect(b.manager, kitchen.Inspection{EventID: kitchen.NewID(), LotID: r.LotID, At: b.now, Scheme: "quick", Fish: slices.Repeat([]freshness.Fish{quick}, int(r.Count))}))
		seen, err := b.Row(b.ctx, r.LotID)
		b.must(err)
		if s := seen.ServedAt(b.now); s.Serving != assess.ServeCook {
			t.Errorf("%s, which looks good, is fit for %q: %s, %v", r.Species.Name, s.Serving, seen.Hold, seen.Stops)
		}
	}
}
