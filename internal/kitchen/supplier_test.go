package kitchen_test

import (
	"errors"
	"testing"
	"time"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// A look at the market is the first inspection of the lot that is bought: with
// what was seen then, aged on the way here, once.
func TestALookBecomesTheFirstInspection(t *testing.T) {
	b := newBench(t)
	look := kitchen.MarketCheck{ID: kitchen.NewID(), At: b.now, Stall: "Fulmar Landing", SpeciesID: "cod",
		Form:    "whole",
		Fish:    freshness.Fish{Signs: freshness.Signs{"eyes": 1, "gills": 0, "smell": 0, "press": 1, "skin": 1}},
		Answers: map[string]string{"out": "yes"}}
	b.must(b.SaveMarketCheck(b.ctx, look))
	b.must(b.SaveMarketCheck(b.ctx, look))
	bad := look
	bad.ID, bad.Answers = kitchen.NewID(), map[string]string{"out": "perhaps"}
	var fields invalid.Errors
	if err := b.SaveMarketCheck(b.ctx, bad); !errors.As(err, &fields) || fields.On("answers") == "" {
		t.Errorf("an answer that is not on the card: %v", err)
	}
	b.now = b.now.Add(6 * time.Hour)
	looks, err := b.MarketChecksSince(b.ctx, b.now.Add(-24*time.Hour))
	b.must(err)
	if len(looks) != 1 || looks[0].LotID != nil || looks[0].Verdict.Decision != freshness.Hold {
		t.Fatalf("looks %+v, want one, to be held on three doubts", looks)
	}
	line := b.line("haddock")
	line.MarketCheckID = look.ID
	if err := b.Receive(b.ctx, kitchen.Delivery{ID: kitchen.NewID(), Supplier: "x", ArrivedAt: b.now,
		Lines: []lot.Received{line}}); !errors.As(err, &fields) {
		t.Errorf("another fish than the one looked at: %v", err)
	}
	line = b.line("cod")
	line.MarketCheckID, line.LabelDate = look.ID, lot.LabelDate{}
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now,
		Lines: []lot.Received{line}}
	b.must(b.Receive(b.ctx, d))
	docket, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	card, err := b.Card(b.ctx, docket.Rows[0].LotID)
	b.must(err)
	i, ok := card.State.Inspection()
	if !ok || i.Scheme != "quick" || i.Answers["out"] != "yes" || i.SeenAt == nil {
		t.Fatalf("the lot begins with %+v", i)
	}
	// Six hours on the way at the house's 2 °C: 0.25 d · 1.44.
	if got, want := card.Assessment.ReadAge.Days, i.Reading.Age.Days+0.25*1.44; got < want-1e-6 || got > want+1e-6 {
		t.Errorf("reads %.4f ice days at receipt, want %.4f", got, want)
	}
	if _, err := b.OpenMarketCheck(b.ctx, look.ID); !errors.Is(err, kitchen.ErrNotFound) {
		t.Errorf("it can be bought twice: %v", err)
	}
}

// The page of a supplier counts each delivery once, though a box was split,
// and means nothing below eight lots.
func TestSupplierCountsWhatCameIn(t *testing.T) {
	b := newBench(t)
	signs := freshness.Signs{"skin": 1, "stiffness": 1, "smell": 1, "belly": 0, "eye_shape": 1, "eye_clarity": 1,
		"gill_colour": 1, "gill_smell": 1, "blood_spots": 1}
	for n := range 8 {
		rows := b.receive("cod")
		b.must(b.Inspect(b.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: rows[0].LotID, At: b.now,
			Fish: []freshness.Fish{{Signs: signs}}}))
		if n == 3 {
			b.must(b.Append(b.ctx, b.write(rows[0].LotID,
				lot.Checked{Off: []lot.Trim{"guts"}, Left: []lot.Trim{"guts"}, ReworkMinutes: 12, WageCents: 3000})))
			b.must(b.Split(b.ctx, kitchen.NewSplit{EventID: kitchen.NewID(), LotID: rows[0].LotID, HappenedAt: b.now,
				Parts: []lot.SplitLot{{Count: 1, WeightKg: 3.2}, {Count: 1, WeightKg: 3.2, Refused: "bruised"}}}))
		}
		if n < 7 {
			got, err := b.Supplier(b.ctx, rows[0].SupplierID)
			b.must(err)
			if got.Species[0].Enough() {
				t.Errorf("%d lots are enough", n+1)
			}
		}
	}
	rows, err := b.Find(b.ctx, "", false)
	b.must(err)
	got, err := b.Supplier(b.ctx, rows[0].SupplierID)
	b.must(err)
	cod := got.Species[0]
	if got.Lots != 8 || len(cod.Rows) != 8 || !cod.Enough() || !cod.Differs() || cod.Mean < 2 {
		t.Errorf("%d lots, %d of cod, %+v", got.Lots, len(cod.Rows), cod.Consistency)
	}
	if len(got.Refused) != 1 || got.Refused[0].RefusedFor != "bruised" || got.ReworkMin != 12 ||
		got.ReworkCents != 600 || got.TooWarm != 0 || len(got.Cores) != 8 {
		t.Errorf("refused %d, rework %.0f min, %d cents, %d cores", len(got.Refused), got.ReworkMin, got.ReworkCents,
			len(got.Cores))
	}
}
