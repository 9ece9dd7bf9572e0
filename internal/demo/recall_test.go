package demo

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

func codes(l kitchen.Lineage) (list []string) {
	for _, x := range l.Lots {
		list = append(list, x.Code)
	}
	return list
}

// A recall from a supplier's lot goes through the cut to the other kitchen: all that is still there is held in both, and who is to be
// told is
// listed. A drill holds nothing.
func TestRecallThroughACutToAnotherKitchen(t *testing.T) {
	p := newPass(t)
	by := kitchen.RecallBy{SupplierLot: "126-1"}
	touched, err := p.Touched(p.harbour, by)
	p.must(err)
	var fillets kitchen.LineageLot
	for _, x := range touched.Lots {
		if len(x.Sent) > 0 {
			fillets = x
		}
	}
	if len(touched.Lots) < 2 || len(fillets.Sent) != 2 || fillets.State.CutFrom == "" || len(touched.Links) == 0 {
		t.Fatalf("touched: %v, linked %v", codes(touched), touched.Links)
	}
	calls := touched.Calls(time.UTC)
	if !slices.ContainsFunc(calls, func(c kitchen.Call) bool { return c.Whom == "Fulmar Landing" && strings.Contains(c.Of[0], "126-1") }) ||
		!slices.ContainsFunc(calls, func(c kitchen.Call) bool { return c.Whom == "Mill" }) {
		t.Errorf("to be told: %+v", calls)
	}
	back, err := p.Lineage(p.harbour, fillets.LotID)
	p.must(err)
	if len(back.Lots) != 2 || back.Lots[0].State.Received.SupplierLot != "126-1" {
		t.Errorf("one back: %v", codes(back))
	}

	drill := kitchen.NewRecall{ID: kitchen.NewID(), By: by, Reason: "twice a year", Drill: true}
	p.must(p.BeginRecall(p.harbour, drill))
	if again, err := p.Touched(p.harbour, by); err != nil || slices.ContainsFunc(again.Lots,
		func(x kitchen.LineageLot) bool { return x.OnHold() }) {
		t.Errorf("a drill held something: %v", err)
	}
	p.later(p.now.Add(4 * time.Minute))
	p.must(p.RecallFound(p.harbour, drill.ID))
	past, err := p.Recalls(p.harbour)
	p.must(err)
	if len(past) != 1 || past[0].Took() != 4*time.Minute {
		t.Errorf("the drill took %v", past)
	}

	real := kitchen.NewRecall{ID: kitchen.NewID(), By: by, Reason: "histamine at the supplier"}
	if err := p.BeginRecall(p.as("harbour", "Cato"), real); err == nil {
		t.Error("a cook recalled it")
	}
	p.must(p.BeginRecall(p.harbour, real))
	p.must(p.BeginRecall(p.harbour, real)) // pressed twice
	r, sheet, err := p.RecallSheet(p.harbour, real.ID)
	p.must(err)
	for _, x := range sheet.Here() {
		if !x.OnHold() {
			t.Errorf("%s is not on hold", x.Code)
		}
	}
	if len(r.Held) != len(sheet.Here()) || len(r.Held) == 0 {
		t.Errorf("%d held, %d here", len(r.Held), len(sheet.Here()))
	}
	p.must(p.Between(p.harbour))
	there, err := p.Find(p.mill, "haddock", true)
	p.must(err)
	for _, x := range there {
		if !x.OnHold() || !strings.HasPrefix(x.Hold, "recalled by Harbour") {
			t.Errorf("%s at Mill is on hold for %q", x.Code, x.Hold)
		}
	}
	if len(there) != 2 {
		t.Errorf("at Mill: %d lots", len(there))
	}
	for _, site := range []string{"harbour", "mill"} {
		ctx := p.as(site, map[string]string{"harbour": "Ansa", "mill": "Fenja"}[site])
		if _, err := p.CheckChains(ctx, kitchen.ActorFrom(ctx).Site); err != nil {
			t.Error(err)
		}
	}
}

// What a place and a span of time, a species or an area touch is what the records of all lots say, one by one.
func TestWhatARecallTouches(t *testing.T) {
	p := newPass(t)
	rows, err := p.Find(p.harbour, "", false)
	p.must(err)
	var all []uuid.UUID
	for _, r := range rows {
		all = append(all, r.LotID)
	}
	cards := map[uuid.UUID]*lot.State{}
	for _, id := range all {
		card, err := p.Card(p.harbour, id)
		p.must(err)
		cards[id] = card.State
	}
	places := p.places(p.harbour)
	walkIn := places[slices.IndexFunc(places, func(x lot.Place) bool { return x.Name == "Walk-in" })].ID
	night := kitchen.RecallBy{PlaceID: walkIn, From: p.now.Add(-8 * time.Hour), To: p.now.Add(-2 * time.Hour)}
	for name, x := range map[string]struct {
		by    kitchen.RecallBy
		meets func(*lot.State) bool
	}{
		"place": {night, func(s *lot.State) bool {
			return slices.ContainsFunc(s.Stays, func(stay lot.Stay) bool {
				to := stay.To
				if to.IsZero() {
					to = s.EndedAt
				}
				return stay.PlaceID == walkIn && stay.From.Before(night.To) && (to.IsZero() || to.After(night.From))
			})
		}},
		"species": {kitchen.RecallBy{SpeciesID: "cod", From: p.now.AddDate(0, 0, -6), To: p.now}, func(s *lot.State) bool {
			return s.Received.SpeciesID == "cod" && s.Parent == uuid.Nil && s.ReceivedAt.After(p.now.AddDate(0, 0, -6))
		}},
		"area": {kitchen.RecallBy{Area: "skerries", From: p.now.AddDate(0, 0, -30), To: p.now}, func(s *lot.State) bool {
			return s.Harvest.Caught != nil && strings.Contains(s.Harvest.Caught.Data.Area, "Skerries")
		}},
	} {
		touched, err := p.Touched(p.harbour, x.by)
		p.must(err)
		want := map[uuid.UUID]bool{}
		for _, id := range all {
			for at := cards[id]; at != nil && !want[id]; at = cards[at.Parent] { // itself, or what it is of
				want[id] = x.meets(at)
			}
		}
		n := 0
		for _, yes := range want {
			if yes {
				n++
			}
		}
		if n == 0 || n != len(touched.Lots) || slices.ContainsFunc(touched.Lots, func(x kitchen.LineageLot) bool { return !want[x.LotID] }) {
			t.Errorf("%s: %d touched, %d say so", name, len(touched.Lots), n)
		}
	}
	var bad invalid.Errors
	kitchen.RecallBy{SpeciesID: "cod"}.Check(&bad)
	if bad.On("from") == "" {
		t.Error("a species without days recalls all there ever was")
	}
}
