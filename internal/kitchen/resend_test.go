package kitchen_test

import (
	"errors"
	"sync"
	"testing"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// What is sent twice at once, as by a finger that taps again or a network that repeats, is stored once and
// answered twice.
func TestSentTwiceAtOnce(t *testing.T) {
	b := newBench(t)
	core := 0.5
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "A new supplier", ArrivedAt: b.Now(), Lines: []lot.Received{{SpeciesID: "cod",
		Form: "gutted", Count: 2, WeightKg: 5, CoreC: &core, Ice: "well_iced", PlaceID: b.dock}}}
	var wait sync.WaitGroup
	errs := make([]error, 8)
	for i := range errs {
		wait.Go(func() { errs[i] = b.Receive(b.ctx, d) })
	}
	wait.Wait()
	if err := errors.Join(errs...); err != nil {
		t.Errorf("a delivery: %v", err)
	}
	note, err := b.DeliveryNote(b.ctx, d.ID)
	if err != nil || len(note.Rows) != 1 {
		t.Fatalf("%d lots: %v", len(note.Rows), err)
	}
	w := kitchen.Write{EventID: kitchen.NewID(), LotID: note.Rows[0].LotID, HappenedAt: b.Now(), Payload: lot.Temperature{Celsius: 1}}
	for i := range errs {
		wait.Go(func() { errs[i] = b.Append(b.ctx, w) })
	}
	wait.Wait()
	if err := errors.Join(errs...); err != nil {
		t.Errorf("an event: %v", err)
	}
	card, err := b.Card(b.ctx, note.Rows[0].LotID)
	if err != nil || len(card.Entries) != 2 {
		t.Errorf("%d entries: %v", len(card.Entries), err)
	}
}
