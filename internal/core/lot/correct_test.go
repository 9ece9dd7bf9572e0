package lot_test

import (
	"encoding/json"
	"errors"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

var at = lottest.At

// facts are those of a kitchen with a place of each number, where every gate is open and no
// manager acts.
func facts(hours float64) lot.Facts {
	profile, _ := safety.GetProfile("eu")
	f := lot.Facts{Now: at(hours), Profile: profile, Catalogue: species.Builtin(), Places: map[int64]lot.Place{},
		Answers: map[lot.Gate]lot.Answer{}, ParCook: true}
	for id, kind := range map[int64]string{10: "dock", 13: "walk_in", 20: "walk_in", 30: "freezer", 40: "tote",
		60: "ager"} {
		f.Places[id] = lot.Place{ID: id, Kind: kind}
	}
	for _, g := range []lot.Gate{lot.ExitRaw, lot.ExitCooked, lot.ExitStaff, lot.ExitTasting, lot.ExitSold, lot.ExitMoved, lot.ExitStock,
		lot.ExitWaste, lot.GateCook, lot.GateFreeze, lot.GateDryAge, lot.GateStock} {
		f.Answers[g] = lot.Answer{OK: true}
	}
	return f
}

// received is a lot of four cod that came at hour 0.
func received() *lottest.History {
	core, caught := 1.0, at(-48)
	h := &lottest.History{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: "COVE-1", SpeciesID: "cod", Form: "gutted", Count: 4,
		WeightKg: 8, CoreC: &core, Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught},
		SupplierID: 1, PlaceID: 10, PriceCents: 1450, FeeCents: 600})
	return h
}

// before is a history in which an event of a kind may come next, and the hour for it.
func before(kind lot.Kind) (*lottest.History, float64) {
	h := received()
	switch kind {
	case "received", "part_of":
		return &lottest.History{}, 5
	case "hung", "taken_down":
		h = &lottest.History{ID: uuid.New()}
		h.Add(0, lot.Received{Code: "COVE-2", SpeciesID: "cod", Form: "gutted", Count: 1, WeightKg: 2, Ice: "none",
			PlaceID: 10})
		if kind == "taken_down" {
			h.Add(1, lot.Hung{PlaceID: 60, Hook: 1, Kg: 2, Policy: "fresh", Target: 0.05, Hanging: "head_down"})
		}
	case "pulled", "returned", "thawed":
		h.Add(1, lot.Froze{PlaceID: 30, Method: "fan", Wrapping: "bare", Shape: "slab", MM: 20, StartC: 1, AirC: -22,
			H: 20, BatchKg: 8})
		if kind != "pulled" {
			h.Add(2, lot.Pulled{PlaceID: 20, Method: "fridge", EndUse: "cook", Shape: "slab", MM: 20, MediumC: 2, H: 9})
		}
	}
	return h, 5
}

// refusal is what speaks against a payload.
func refusal(s *lot.State, f lot.Facts, hours float64, p lot.Payload) invalid.Errors {
	_, err := lot.Admit(s, f, lot.Event{ID: uuid.New(), HappenedAt: at(hours)}, p)
	var bad invalid.Errors
	errors.As(err, &bad)
	return bad
}

func correction(t *testing.T, of lot.Event, p lot.Payload) lot.Corrected {
	t.Helper()
	data, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	return lot.Corrected{EventID: of.ID, Data: data, Reason: "misread"}
}

// A receipt that was typed wrong says what it should have said, in its old place; what it
// said is kept; what came on hand follows.
func TestAReceiptIsCorrected(t *testing.T) {
	h := received()
	first := h.Events[0]
	moved := h.Add(1, lot.Moved{PlaceID: 20})
	was := h.Fold(t)
	right := was.Received
	right.WeightKg, right.SpeciesID = 9.5, "haddock"
	if bad := refusal(was, facts(3), 3, correction(t, first, right)); len(bad) > 0 {
		t.Fatalf("refused: %v", bad)
	}
	fixed := h.Add(3, correction(t, first, right))
	s := h.Fold(t)
	if s.Received.WeightKg != 9.5 || s.WeightKg != 9.5 || s.Species().ID != "haddock" || s.Place() != 20 ||
		!s.ReceivedAt.Equal(at(0)) || len(s.CoreReadings) != 1 {
		t.Errorf("corrected to %+v", s.Received)
	}
	if c := s.Corrections[first.ID]; len(c) != 1 || c[0].Was.(lot.Received).WeightKg != 8 || c[0].Reason != "misread" ||
		c[0].EventID != fixed.ID {
		t.Errorf("corrections %+v", c)
	}
	// Corrected again, the last one counts; withdrawn, the one before it.
	right.WeightKg = 9
	again := h.Add(4, correction(t, first, right))
	if s := h.Fold(t); s.WeightKg != 9 || len(s.Corrections[first.ID]) != 2 {
		t.Errorf("corrected again to %v", s.WeightKg)
	}
	h.Add(5, lot.Voided{EventID: again.ID, Reason: "it was right"})
	if s := h.Fold(t); s.WeightKg != 9.5 {
		t.Errorf("withdrawn: %v", s.WeightKg)
	}
	for what, c := range map[string]struct {
		p     lot.Payload
		field string
	}{
		"another code":           {correction(t, first, func() lot.Received { r := right; r.Code = "COVE-9"; return r }()), "data.code"},
		"no weight":              {correction(t, first, func() lot.Received { r := right; r.WeightKg = 0; return r }()), "data.weight_kg"},
		"as it was":              {correction(t, moved, lot.Moved{PlaceID: 20}), "data.data"},
		"another kind's data":    {lot.Corrected{EventID: moved.ID, Data: []byte(`{"celsius":1}`), Reason: "x"}, "data"},
		"to a place not there":   {correction(t, moved, lot.Moved{PlaceID: 99}), "data.place_id"},
		"without a reason":       {lot.Corrected{EventID: moved.ID, Data: []byte(`{"place_id":13}`)}, "reason"},
		"an event not there":     {correction(t, lot.Event{ID: uuid.New()}, lot.Moved{PlaceID: 13}), "event_id"},
		"a correction":           {correction(t, fixed, correction(t, first, right)), "event_id"},
		"what was cancelled":     {correction(t, again, right), "event_id"},
		"to where it came from":  {correction(t, moved, lot.Moved{PlaceID: 10}), "data.place_id"},
		"into a freezer, simply": {correction(t, moved, lot.Moved{PlaceID: 30}), "data.place_id"},
	} {
		if bad := refusal(h.Fold(t), facts(6), 6, c.p); bad.On(c.field) == "" {
			t.Errorf("%s: %v, want an error on %s", what, bad, c.field)
		}
	}
}

// A correction asks for the approval that the entry itself asks for, and is refused where
// what happened since could not have happened.
func TestWhatACorrectionAsks(t *testing.T) {
	h := received()
	h.Add(1, lot.Froze{PlaceID: 30, Method: "fan", Wrapping: "bare", Shape: "slab", MM: 20, StartC: 1, AirC: -22, H: 20,
		BatchKg: 8})
	pulled := h.Add(2, lot.Pulled{PlaceID: 20, Method: "fridge", EndUse: "cook", Shape: "slab", MM: 20, MediumC: 2, H: 9})
	back := lot.Returned{PlaceID: 30, CoreC: -5, Reason: "too early"}
	returned := h.Add(3, back)
	back.CoreC = -6
	c := correction(t, returned, back)
	s := h.Fold(t)
	if bad := refusal(s, facts(4), 4, c); !bad.OnlyManager() || bad.On("data.lot") == "" {
		t.Errorf("by the crew: %v", bad)
	}
	f := facts(4)
	f.Manager = true
	in, err := lot.Admit(s, f, lot.Event{ID: uuid.New(), HappenedAt: at(4)}, c)
	if err != nil || !in.Approved {
		t.Fatalf("by a manager: %v, approved %v", err, in.Approved)
	}
	var stored lot.Returned
	if err := json.Unmarshal(in.Payload.(lot.Corrected).Data, &stored); err != nil || !stored.ByManager || stored.CoreC != -6 {
		t.Errorf("stored %+v, %v", stored, err)
	}
	wet := lot.Pulled{PlaceID: 20, Method: "water", EndUse: "cook", Shape: "slab", MM: 20, MediumC: 2, H: 9}
	if bad := refusal(s, facts(4), 4, correction(t, pulled, wet)); bad.On("data") == "" {
		t.Errorf("out of water, it went back to the freezer: %v", bad)
	}
	// The state before an entry is that of its time: at hour 1 it was not frozen.
	before, event, _ := s.Subject(lot.Event{}, correction(t, h.Events[1], lot.Froze{}))
	if before.Frozen() || event.ID != h.Events[1].ID || before.Place() != 10 {
		t.Errorf("judged by %+v", before)
	}
}

// What is received stays; what is on hand shrinks, and a part of it is a lot of its own.
func TestOnHandIsNotWhatCame(t *testing.T) {
	h := received()
	h.Add(1, lot.Froze{PlaceID: 30, Method: "fan", Wrapping: "bare", Shape: "slab", MM: 20, StartC: 1, AirC: -22, H: 20,
		BatchKg: 8})
	h.Add(30, lot.Pulled{PlaceID: 20, Method: "fridge", EndUse: "cook", Shape: "slab", MM: 20, MediumC: 2, H: 9})
	h.Add(40, lot.Thawed{CoreC: 1, DripKg: 0.5})
	s := h.Fold(t)
	if s.Received.WeightKg != 8 || s.WeightKg != 7.5 || s.Count != 4 {
		t.Errorf("%v kg came, %v are here", s.Received.WeightKg, s.WeightKg)
	}
	// A complaint is about what was delivered.
	if bad := refusal(s, facts(41), 41, lot.Complaint{WeightKg: 8, Remedy: "credit", Reasons: []string{"old"}}); len(bad) > 0 {
		t.Errorf("a complaint about all of it: %v", bad)
	}
	part := lot.SplitLot{LotID: uuid.New(), Code: "COVE-2", Count: 1, WeightKg: 1.9}
	child := &lottest.History{ID: part.LotID}
	child.Add(42, lot.Inherit(s, s.Head, part, nil))
	if c := child.Fold(t); c.WeightKg != 1.9 || c.Count != 1 || c.Thaw() == nil {
		t.Errorf("the part: %v kg, %d", c.WeightKg, c.Count)
	}
}

// Where fish comes from is declared later, in pieces, and goes on with the parts.
func TestDeclaredOrigin(t *testing.T) {
	h := received()
	h.Add(1, lot.Declared{Origin: lot.Farmed, Reason: "letter 12"})
	h.Add(2, lot.Declared{ReefOrigin: "Suva", Reason: "the skipper's log"})
	s := h.Fold(t)
	if s.Declared.Origin != lot.Farmed || s.Declared.ReefOrigin != "Suva" {
		t.Errorf("declared %+v", s.Declared)
	}
	child := &lottest.History{ID: uuid.New()}
	child.Add(3, lot.Inherit(s, s.Head, lot.SplitLot{LotID: child.ID, Count: 1, WeightKg: 2}, nil))
	if c := child.Fold(t); c.Declared != s.Declared {
		t.Errorf("the part: %+v", c.Declared)
	}
	for _, p := range []lot.Declared{{Reason: "x"}, {Origin: "pond", Reason: "x"}, {Origin: lot.Wild}} {
		if bad := refusal(s, facts(3), 3, p); len(bad) == 0 {
			t.Errorf("%+v was taken", p)
		}
	}
}
