package kitchen_test

import (
	"errors"
	"testing"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// Two lots of cod are put together: one goes on with the weight and the cost of both, the other ends; a hold of the whole,
// a part of it and a board that is rebuilt go on with both records.
func TestLotsArePutTogether(t *testing.T) {
	b := newBench(t)
	one, other := b.cod(), b.cod()
	bass := b.line("sea-bass")
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now, Lines: []lot.Received{bass}}
	b.must(b.Receive(b.ctx, d))
	note, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	alike, err := b.Alike(b.ctx, one.State)
	b.must(err)
	if len(alike) != 1 || alike[0].LotID != other.State.ID {
		t.Fatalf("%d lots are alike", len(alike))
	}
	var wrong invalid.Errors
	if err := b.Merge(b.ctx, kitchen.PutTogether{EventID: kitchen.NewID(), LotID: one.State.ID, With: note.Rows[0].LotID, HappenedAt: b.now}); !errors.As(err, &wrong) || wrong.On("with") == "" {
		t.Errorf("cod with bass: %v", err)
	}
	in := kitchen.PutTogether{EventID: kitchen.NewID(), LotID: one.State.ID, Seen: one.State.Seq, With: other.State.ID, HappenedAt: b.now}
	b.must(b.Merge(b.ctx, in))
	b.must(b.Merge(b.ctx, in)) // sent twice it is once
	card, err := b.Card(b.ctx, one.State.ID)
	b.must(err)
	gone, err := b.Card(b.ctx, other.State.ID)
	b.must(err)
	if s := card.State; s.Count != 12 || s.WeightKg != 24 || s.CostCents != 21600 || len(s.Others) != 1 || gone.State.Status != lot.WasMerged {
		t.Fatalf("%d fish of %.1f kg, %.0f cents; the other is %s", s.Count, s.WeightKg, s.CostCents, gone.State.Status)
	}
	for what, event := range map[string]kitchen.Entry{"it was taken apart": card.Entries[0], "its receipt": card.Entries[len(card.Entries)-1]} {
		if err := b.Append(b.manager, b.write(one.State.ID, lot.Voided{EventID: event.ID, Reason: "a slip"})); !errors.As(err, &wrong) {
			t.Errorf("%s was cancelled: %v", what, err)
		}
	}
	b.now = b.now.Add(time.Minute)
	b.must(b.Split(b.ctx, kitchen.NewSplit{EventID: kitchen.NewID(), LotID: one.State.ID, HappenedAt: b.now,
		Parts: []lot.SplitLot{{Count: 6, WeightKg: 12}, {Count: 6, WeightKg: 12}}}))
	split, err := b.Card(b.ctx, one.State.ID)
	b.must(err)
	part, err := b.Card(b.ctx, split.State.SplitInto[0].LotID)
	b.must(err)
	if len(part.State.Others) != 1 || part.State.Others[0].ReceivedAt.Equal(part.State.ReceivedAt) {
		t.Errorf("a part goes on with %d records", 1+len(part.State.Others))
	}
	site := kitchen.ActorFrom(b.ctx).Site
	if _, err := b.CheckChains(b.ctx, site); err != nil {
		t.Error(err)
	}
	before, err := b.Row(b.ctx, part.State.ID)
	b.must(err)
	b.must(b.Rebuild(b.ctx, site))
	if after, err := b.Row(b.ctx, part.State.ID); err != nil || after.UsedDays != before.UsedDays || after.CostCents != before.CostCents {
		t.Errorf("%v: rebuilt %+v", err, after.LotBoard)
	}
}
