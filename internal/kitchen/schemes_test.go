package kitchen_test

import (
	"errors"
	"testing"
	"time"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/freshness/testfish"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// A house scheme is versioned: what was inspected keeps the version it was
// inspected with, and two who edit at once do not overwrite each other.
func TestHouseSchemesAreVersioned(t *testing.T) {
	b := newBench(t)
	if _, err := b.CopyScheme(b.ctx, "demerit20", "Ours"); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("a buyer copied a scheme: %v", err)
	}
	id, err := b.CopyScheme(b.manager, "demerit20", "Ours")
	b.must(err)
	rows := b.receive("cod")
	fish := []freshness.Fish{{Signs: freshness.Signs{"skin": 1, "smell": 0, "belly": 0, "eye_shape": 0,
		"eye_clarity": 1}}}
	b.must(b.Inspect(b.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: rows[0].LotID, At: b.now, Scheme: id,
		Fish: fish}))

	own, err := b.HouseSchemes(b.manager)
	b.must(err)
	edited := own[0]
	edited.Signs[0].Weight = 3
	b.must(b.SaveScheme(b.manager, edited))
	if err := b.SaveScheme(b.manager, edited); err == nil {
		t.Error("the same version was saved twice")
	}
	spoilt := edited
	spoilt.Version, spoilt.Signs = 2, nil
	if err := b.SaveScheme(b.manager, spoilt); err == nil {
		t.Error("a scheme without signs was saved")
	}
	card, err := b.Card(b.ctx, rows[0].LotID)
	b.must(err)
	i, _ := card.State.Inspection()
	now, err := b.PreviewInspection(b.ctx, rows[0].LotID, b.now, kitchen.SeenFish{Scheme: id, Fish: fish})
	b.must(err)
	if i.SchemeVersion != 1 || i.Reading.IndexMax != 20 || now.Scheme.Version != 2 || now.Scheme.Max() != 22 {
		t.Errorf("inspected by version %d of %d points, now version %d of %d", i.SchemeVersion, i.Reading.IndexMax,
			now.Scheme.Version, now.Scheme.Max())
	}
	b.must(b.RetireScheme(b.manager, id))
	if _, err := b.PreviewInspection(b.ctx, rows[0].LotID, b.now, kitchen.SeenFish{Scheme: id, Fish: fish}); err == nil {
		t.Error("a retired scheme is still offered")
	}
}

// A kitchen fits the line to its own fish: what is inspected from then on is
// read by it, for that species and scheme alone, until it goes back.
func TestCalibrateFromKnownHistory(t *testing.T) {
	b := newBench(t)
	scheme, _ := freshness.Get("demerit20")
	sp, _ := species.Builtin().Get("cod")
	var codes []string
	for n := range 9 { // fish that age faster than the default line has it
		line := b.line("cod")
		caught := b.now.Add(-time.Duration(24+20*n) * time.Hour)
		line.LabelDate.At = &caught
		d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Own boat", ArrivedAt: b.now, Lines: []lot.Received{line}}
		b.must(b.Receive(b.ctx, d))
		docket, err := b.DeliveryNote(b.ctx, d.ID)
		b.must(err)
		age := 1.6 * 1.44 * b.now.Sub(caught).Hours() / 24
		fish := testfish.Even(scheme, sp.ShelfLife, "whole", age)
		b.must(b.Inspect(b.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: docket.Rows[0].LotID, At: b.now,
			Fish: []freshness.Fish{fish}, Decision: freshness.Hold, Reason: "to learn from"}))
		codes = append(codes, docket.Rows[0].Code)
	}
	known, err := b.KnownLots(b.manager, sp, "demerit20")
	b.must(err)
	if len(known) != 9 || known[0].Sure {
		t.Fatalf("%d lots known, the first sure: %v; nobody measured them on the way", len(known), known[0].Sure)
	}
	if err := b.Calibrate(b.ctx, sp, "demerit20", codes); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("a buyer fitted a line: %v", err)
	}
	var fields invalid.Errors
	if err := b.Calibrate(b.manager, sp, "demerit20", codes[:5]); !errors.As(err, &fields) || fields.On("lots") == "" {
		t.Errorf("five lots: %v", err)
	}
	b.must(b.Calibrate(b.manager, sp, "demerit20", codes))
	read := func(of string) freshness.Age {
		rows := b.receive(of)
		a, err := b.PreviewInspection(b.manager, rows[0].LotID, b.now, kitchen.SeenFish{Scheme: "demerit20",
			Fish: []freshness.Fish{testfish.Even(scheme, sp.ShelfLife, "whole", 6)}})
		b.must(err)
		return *a.Reading.Age
	}
	if got := read("cod").Days; got > 4.6 || got < 3 {
		t.Errorf("a fish that looks six days old reads %.1f by our line, want near 6 / 1.6", got)
	}
	if got := read("haddock").Days; got < 5.5 {
		t.Errorf("haddock reads %.1f: our line for cod reached it", got)
	}
	b.now = b.now.Add(time.Minute)
	b.must(b.Calibrate(b.manager, sp, "demerit20", nil))
	if got := read("cod").Days; got < 5.5 {
		t.Errorf("back at the default it reads %.1f", got)
	}
}
