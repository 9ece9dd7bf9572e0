package web

import (
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/kitchen"
)

// Each kind of event has a view, which says something of what stands in databases.
func TestEachKindHasAView(t *testing.T) {
	p := page{Zone: time.UTC, Actor: kitchen.Actor{Person: kitchen.Person{TempScale: "C", MassScale: "kg"}}}
	stored := lottest.Stored(t)
	for _, kind := range lot.Kinds() {
		if eventViews[kind].say == nil {
			t.Errorf("%s has no view", kind)
			continue
		}
		for _, text := range stored[kind] {
			payload, err := lot.Decode(kind, []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			if said := p.Says(payload, kitchen.Card{}); said == "" {
				t.Errorf("%s: nothing is said of %s", kind, text)
			}
		}
	}
	if len(eventViews) != len(lot.Kinds()) {
		t.Errorf("%d views for %d kinds", len(eventViews), len(lot.Kinds()))
	}
}
