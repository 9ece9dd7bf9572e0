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

// A box of 24 with three sour fish is split: 21 stay with what was seen on
// them alone, three go back. Sent twice it is one split; the chains hold and
// the board can be rebuilt.
func TestABoxIsSplit(t *testing.T) {
	b := newBench(t)
	line := b.line("cod")
	line.Count, line.WeightKg = 24, 36
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now,
		Lines: []lot.Received{line}}
	b.must(b.Receive(b.ctx, d))
	docket, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	id := docket.Rows[0].LotID
	var fish []freshness.Fish
	for n := range 24 {
		f := freshness.Fish{Signs: freshness.Signs{"eyes": 0, "gills": n % 2, "smell": 0, "press": 0, "skin": 0}}
		if n%8 == 3 {
			f.Signs["smell"] = 2
		}
		fish = append(fish, f)
	}
	b.now = b.now.Add(10 * time.Minute)
	b.must(b.Inspect(b.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: id, At: b.now, Scheme: "quick",
		Fish: fish, Decision: freshness.Hold, Reason: "to be split"}))
	card, err := b.Card(b.ctx, id)
	b.must(err)
	parts, ok := lot.ProposeSplit(card.State)
	if !ok {
		t.Fatal("no shares")
	}
	if err := b.Append(b.ctx, b.write(id, lot.Released{Reason: "hurry"})); err == nil {
		t.Error("the buyer released what a hard stop holds")
	}
	in := kitchen.NewSplit{EventID: kitchen.NewID(), LotID: id, Seen: card.State.Seq, HappenedAt: b.now, Parts: parts}
	wrong := in
	wrong.EventID, wrong.Parts = kitchen.NewID(), []lot.SplitLot{{Count: 21, WeightKg: 30}, {Count: 3, WeightKg: 3}}
	var fields invalid.Errors
	if err := b.Split(b.ctx, wrong); !errors.As(err, &fields) || fields.On("parts") == "" {
		t.Errorf("three kilos lost: %v", err)
	}
	b.must(b.Split(b.ctx, in))
	b.must(b.Split(b.ctx, in))

	docket, err = b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	if len(docket.Rows) != 3 {
		t.Fatalf("%d lots on the docket, want the box and two parts", len(docket.Rows))
	}
	byStatus := map[string]kitchen.Row{}
	for _, r := range docket.Rows {
		byStatus[r.Status] = r
	}
	kept, back := byStatus[string(lot.OnHand)], byStatus[string(lot.WasRefused)]
	if kept.Count != 21 || kept.WeightKg != 31.5 || kept.Hold != "" || kept.Decision != string(freshness.Accept) ||
		back.Count != 3 || byStatus[string(lot.WasSplit)].Count != 24 {
		t.Errorf("kept %+v, back %+v", kept.LotBoard, back.LotBoard)
	}
	card, err = b.Card(b.ctx, kept.LotID)
	b.must(err)
	if i, _ := card.State.Inspection(); len(i.Fish) != 21 || len(i.Proposed.HardStops) != 0 || card.State.Parent != id {
		t.Errorf("the kept part was inspected as %+v", i)
	}
	if n, err := b.CheckChains(b.ctx, kitchen.ActorFrom(b.ctx).Site); err != nil || n != 3 {
		t.Errorf("%d chains, %v", n, err)
	}
	before, err := b.Row(b.ctx, kept.LotID)
	b.must(err)
	b.must(b.Rebuild(b.ctx, kitchen.ActorFrom(b.ctx).Site))
	if after, err := b.Row(b.ctx, kept.LotID); err != nil || after.UsedDays != before.UsedDays ||
		after.Decision != before.Decision {
		t.Errorf("rebuilt %+v, was %+v, %v", after.LotBoard, before.LotBoard, err)
	}
}

// Of two people who part a box at once one succeeds; the other sees what the
// first did. No fish is doubled.
func TestTwoPartOneBoxAtOnce(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod")
	errs := make(chan error, 2)
	for range 2 {
		go func() {
			errs <- b.Split(b.ctx, kitchen.NewSplit{EventID: kitchen.NewID(), LotID: rows[0].LotID, Seen: 1,
				HappenedAt: b.now,
				Parts:      []lot.SplitLot{{Count: 1, WeightKg: 3.2}, {Count: 1, WeightKg: 3.2}}})
		}()
	}
	var changed *kitchen.Changed
	won := 0
	for range 2 {
		switch err := <-errs; {
		case err == nil:
			won++
		case !errors.As(err, &changed):
			t.Errorf("the other got %v", err)
		}
	}
	if won != 1 || changed == nil || len(changed.Events) != 1 || changed.Events[0].Kind != lot.KindFor[lot.Split]() {
		t.Errorf("%d succeeded; the other saw %+v", won, changed)
	}
	onHand, err := b.Find(b.ctx, "", true)
	b.must(err)
	fish := 0
	for _, r := range onHand {
		fish += int(r.Count)
	}
	if len(onHand) != 2 || fish != 2 {
		t.Errorf("%d lots with %d fish on hand, want 2 with 2", len(onHand), fish)
	}
	// A part may be split again, and a temperature of the whole stays with both.
	b.now = b.now.Add(time.Hour)
	if err := b.Split(b.ctx, kitchen.NewSplit{EventID: kitchen.NewID(), LotID: onHand[0].LotID, HappenedAt: b.now,
		Parts: []lot.SplitLot{{Count: 1, WeightKg: 1.6}, {Count: 0, WeightKg: 1.6}}}); err == nil {
		t.Error("half a fish was parted off")
	}
	if err := b.Append(b.ctx, b.write(rows[0].LotID, lot.Moved{PlaceID: b.walkIn})); err == nil {
		t.Error("a lot that went on in parts was moved")
	}
}
