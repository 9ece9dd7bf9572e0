package assess

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/core/safety"
)

// history is the events of one lot.
type history = lottest.History

var (
	t0 = lottest.Start
	at = lottest.At
)

// cod begins a history: cod caught two days before its receipt at t0.
func cod() *history {
	core, caught := 1.0, at(-48)
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(1), SpeciesID: "cod", Form: "gutted", Count: 1,
		WeightKg: 3.2, CoreC: &core,
		Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1, PlaceID: 10})
	return h
}

func env(now time.Time, probes map[int64]coldchain.Record) Env {
	profile, _ := safety.GetProfile("house-strict")
	return Env{Now: now, Profile: profile, TransportC: DefaultTransportC,
		Places: map[int64]lot.Place{10: {ID: 10, Name: "Dock", Kind: "dock", SetC: 4},
			20: {ID: 20, Name: "Walk-in", Kind: "walk_in", SetC: 1, Probes: []lot.ProbeStay{{ProbeID: 7, Span: always}}}},
		Probe: func(id int64) coldchain.Record { return probes[id] }}
}

// always is a stay of a probe that never ends.
var always = coldchain.Span{From: at(-1e5), To: at(1e5)}

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s = %.6g, want %.6g ± %g", what, got, want, tolerance)
	}
}

func inspected(days, sd float64, d freshness.Decision) lot.Inspected {
	return lot.Inspected{Scheme: "demerit20", SchemeVersion: 1,
		Fish: []freshness.Fish{{Signs: freshness.Signs{"skin": 1, "belly": 0, "smell": 0, "stiffness": 1,
			"eye_shape": 0}}},
		Reading:  freshness.Reading{Age: &freshness.Age{Days: days, SD: sd}},
		Proposed: freshness.Verdict{Decision: d, Rule: "by the test"}, Decision: d}
}

func TestAccountUsesTheBestKnowledgeOfEachMoment(t *testing.T) {
	core, caught := 2.0, at(-48)
	h := &history{ID: uuid.New()}
	h.Add(1, lot.Received{SpeciesID: "cod", Form: "gutted", Count: 1, WeightKg: 3.2, CoreC: &core, Ice: "none",
		LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1, PlaceID: 20})
	h.Add(49, lot.Moved{PlaceID: 10})
	s := h.Fold(t)
	// The walk-in's probe is known until hour 25 at 2 °C; then it is silent.
	var probe coldchain.Series
	for x := -1.0; x <= 25; x += 0.25 {
		probe.Readings = append(probe.Readings, coldchain.Reading{At: at(x), Celsius: 2})
	}
	a := assessNow(s, env(at(50), map[int64]coldchain.Record{7: probe}))

	r := func(c float64) float64 { return (1 + 0.1*c) * (1 + 0.1*c) }
	want := 49.0/24*r(2) + // on the way, assumed
		24.0/24*r(2) + // logged
		24.0/24*r(3) + // silent: set 1 + 2
		1.0/24*r(9) // one hour on the dock, which is not cooled: set 4 + 5
	near(t, "fresh days spent", a.Used.Days, want, 1e-9)
	near(t, "life left", a.Left.Days, 9-want, 1e-9)
	near(t, "hours logged", a.Hours[coldchain.Logged], 24, 1e-9)
	near(t, "hours assumed", a.Hours[coldchain.Assumed], 74, 1e-9)
	near(t, "temperature now", a.NowC, 9, 1e-9)
	near(t, "real days", a.RealDays, (9-want)/r(9), 1e-9)
	near(t, "sd of the claim", a.Used.SD, math.Hypot(1.5, (24*0.1+74*1.5)/98), 1e-9)
	if a.Basis != freshness.BasisDeclared || len(a.Stretches) != 3 {
		t.Errorf("basis %q, %d stretches", a.Basis, len(a.Stretches))
	}
}

func TestAccountSettlesTheAgeAtTheInspectionAndGoesOn(t *testing.T) {
	h := cod()
	h.Add(0, inspected(8, 1, freshness.Accept))
	a := assessNow(h.Fold(t), env(at(24), nil))
	claimed := 2 * 1.44
	z := (8 - claimed) / math.Hypot(1, math.Hypot(1.5, 1.5))
	near(t, "gap", *a.Gap, z, 1e-9)
	if z <= freshness.GapLimit {
		t.Fatal("the case must disagree")
	}
	near(t, "used: the older plus one sd, and a day at 9 °C", a.Used.Days, 9+3.61, 1e-9)
	near(t, "read age carried on to now", a.ReadAge.Days, 8+3.61, 1e-9)
	near(t, "claimed age now", a.DeclaredAge.Days, claimed+3.61, 1e-9)
	if a.Left.Days != 0 || !strings.Contains(strings.Join(a.Stops, "; "), "fresh days left") {
		t.Errorf("life left %v, stops %v; want none left and one stop", a.Left.Days, a.Stops)
	}
}

func TestAccountWithoutPapersKnowsNothingUntilInspected(t *testing.T) {
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{SpeciesID: "cod", Form: "whole", Count: 1, WeightKg: 1, Ice: "none", PlaceID: 10})
	a := assessNow(h.Fold(t), env(at(5), nil))
	if a.Known() || !math.IsNaN(a.RealDays) {
		t.Errorf("knows a life left (%v) without papers or inspection", a.Left)
	}
	h.Add(6, inspected(3, 1, freshness.Accept))
	if a := assessNow(h.Fold(t), env(at(6), nil)); a.Basis != freshness.BasisRead || a.Used.Days != 3 {
		t.Errorf("after the inspection: %v by %q, want 3 by read", a.Used, a.Basis)
	}
}

func TestAccountHoldsAboveTheRule(t *testing.T) {
	h := cod()
	h.Add(1, lot.Temperature{Celsius: 30})
	h.Add(3, lot.Temperature{Celsius: 30})
	a := assessNow(h.Fold(t), env(at(3), nil))
	if len(a.Stops) == 0 || !strings.Contains(a.Stops[0], "25 °C") {
		t.Errorf("stops %v, want the one about 25 °C", a.Stops)
	}
	for _, u := range Fitness(h.Fold(t), a) {
		if u.OK {
			t.Errorf("fit for %s though there is no rule", u.ID)
		}
	}
}

func TestAWarmReceiptStopsTheLotUntilItIsLetIn(t *testing.T) {
	for _, c := range []struct {
		species string
		core    float64
		stops   int
	}{{"cod", 2, 0}, {"cod", 2.1, 1}, {"haddock", 9, 1}, {"puffer", 1, 1}} {
		h := &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: c.species, Form: "whole", Count: 1, WeightKg: 1, Ice: "none", PlaceID: 10,
			CoreC: &c.core})
		s := h.Fold(t)
		a := assessNow(s, env(at(0.1), nil))
		if len(a.Stops) != c.stops {
			t.Errorf("%s at %v °C: stops %v, want %d", c.species, c.core, a.Stops, c.stops)
		}
		for _, u := range Fitness(s, a) {
			if c.stops > 0 && u.OK {
				t.Errorf("%s at %v °C is called fit for %s", c.species, c.core, u.ID)
			}
		}
		h.Add(0.2, inspected(1, 1, freshness.AcceptCook))
		if a := assessNow(h.Fold(t), env(at(0.3), nil)); (len(a.Stops) > 0) != (c.species == "puffer") {
			t.Errorf("%s was let in: %v; nobody lets a banned species in", c.species, a.Stops)
		}
	}
}

func TestLoggerThatTravelledWithTheLot(t *testing.T) {
	h := cod()
	h.Add(0.5, lot.Logger{ProbeID: 9, From: at(-48), To: at(0)})
	a := assessNow(h.Fold(t), env(at(0), map[int64]coldchain.Record{9: everywhere(0)}))
	near(t, "ice days on the way", a.Used.Days, 2, 1e-9)
	near(t, "sd", a.Used.SD, math.Hypot(1.5, 0.1), 1e-9)
}

func TestVoidedEventsCountForNothing(t *testing.T) {
	h := cod()
	moved := h.Add(1, lot.Moved{PlaceID: 20})
	held := h.Add(2, lot.Held{Reason: "waiting for the landing papers"})
	if s := h.Fold(t); s.Place() != 20 || s.Hold == "" {
		t.Fatalf("place %d, hold %q", s.Place(), s.Hold)
	}
	h.Add(3, lot.Voided{EventID: moved.ID, Reason: "wrong lot"})
	h.Add(4, lot.Voided{EventID: held.ID, Reason: "papers were there"})
	s := h.Fold(t)
	if s.Place() != 10 || s.Hold != "" || s.Voids[moved.ID].Reason != "wrong lot" {
		t.Errorf("after the voids: place %d, hold %q, voids %v", s.Place(), s.Hold, s.Voids)
	}
	h.Add(5, lot.Voided{EventID: h.Events[0].ID, Reason: "never arrived"})
	if s := h.Fold(t); s.Status != lot.Cancelled {
		t.Errorf("status %q after its receipt was voided", s.Status)
	}
}

func TestEventsTakeEffectInTheOrderInWhichTheyHappened(t *testing.T) {
	h := cod()
	h.Add(5, lot.Moved{PlaceID: 10})
	h.Add(2, lot.Moved{PlaceID: 20}) // written down later
	s := h.Fold(t)
	if s.Place() != 10 || len(s.Stays) != 3 || s.Stays[1].PlaceID != 20 || !s.Stays[1].To.Equal(at(5)) {
		t.Errorf("stays %+v", s.Stays)
	}
}

func TestAHoldByEyesEndsWithABetterInspection(t *testing.T) {
	h := cod()
	h.Add(1, inspected(3, 1, freshness.Hold))
	if s := h.Fold(t); s.Hold == "" {
		t.Fatal("not on hold")
	}
	h.Add(2, inspected(3, 1, freshness.Accept))
	if s := h.Fold(t); s.Hold != "" {
		t.Errorf("still on hold: %s", s.Hold)
	}
	h.Add(3, inspected(3, 1, freshness.Refuse))
	if s := h.Fold(t); s.Status != lot.WasRefused || !s.EndedAt.Equal(at(3)) {
		t.Errorf("status %q at %v", s.Status, s.EndedAt)
	}
}

func TestCheck(t *testing.T) {
	h := cod()
	moved := h.Add(1, lot.Moved{PlaceID: 20})
	onHand := h.Fold(t)
	h.Add(1.5, lot.Held{Reason: "papers"})
	held := h.Fold(t)
	h.Add(9, lot.Discarded{Reason: "smells"})
	gone := h.Fold(t)
	override := inspected(3, 1, freshness.Refuse)
	override.Decision = freshness.Accept
	hardStop := override
	hardStop.Reason, hardStop.Proposed.HardStops = "I know this boat", []string{"core 9 °C"}
	byManager := hardStop
	byManager.ByManager = true
	late := at(2)
	received := lot.Received{SpeciesID: "cod", Form: "whole", Count: 1, WeightKg: 1, Ice: "none", PlaceID: 10}
	with := func(change func(*lot.Received)) lot.Received { r := received; change(&r); return r }

	for _, c := range []struct {
		name   string
		before *lot.State
		hours  float64
		p      lot.Payload
		field  string // "" for an event that is right
	}{
		{"a receipt", nil, 0, received, ""},
		{"weight below 0", nil, 0, with(func(r *lot.Received) { r.WeightKg = -1 }), "weight_kg"},
		{"absurd weight", nil, 0, with(func(r *lot.Received) { r.WeightKg = 1e6 }), "weight_kg"},
		{"not a weight", nil, 0, with(func(r *lot.Received) { r.WeightKg = math.NaN() }), "weight_kg"},
		{"core of 80 °C", nil, 0, with(func(r *lot.Received) { c := 80.0; r.CoreC = &c }), "core_celsius"},
		{"death after the delivery", nil, 0,
			with(func(r *lot.Received) { r.LabelDate = lot.LabelDate{At: &late, Means: freshness.Caught} }), "claim.at"},
		{"a date without a meaning", nil, 0, with(func(r *lot.Received) { r.LabelDate = lot.LabelDate{At: &t0} }),
			"claim.means"},
		{"unknown species", nil, 0, with(func(r *lot.Received) { r.SpeciesID = "unicorn" }), "species"},
		{"no fish", nil, 0, with(func(r *lot.Received) { r.Count = 0 }), "count"},
		{"received twice", onHand, 0, received, "lot"},
		{"a time in the future", onHand, 100, lot.Moved{PlaceID: 10}, "happened_at"},
		{"a move before the receipt", onHand, -1, lot.Moved{PlaceID: 10}, "happened_at"},
		{"a move", onHand, 2, lot.Moved{PlaceID: 10}, ""},
		{"a move to where it lies", onHand, 2, lot.Moved{PlaceID: 20}, "place_id"},
		{"a lot that is gone", gone, 9.5, lot.Moved{PlaceID: 10}, "lot"},
		{"a hold without a reason", onHand, 2, lot.Held{Reason: "  "}, "reason"},
		{"used up", onHand, 2, lot.Left{EndUse: lot.UsedCooked}, ""},
		{"used while on hold", held, 2, lot.Left{EndUse: lot.UsedCooked}, "lot"},
		{"a release without a hold", onHand, 2, lot.Released{Reason: "fine"}, "lot"},
		{"an override without a reason", onHand, 2, override, "reason"},
		{"a hard stop overridden by the crew", onHand, 2, hardStop, "decision"},
		{"the same by a manager", onHand, 2, byManager, ""},
		{"a void", onHand, 2, lot.Voided{EventID: moved.ID, Reason: "wrong lot"}, ""},
		{"a void of nothing", onHand, 2, lot.Voided{EventID: uuid.New(), Reason: "wrong lot"}, "event_id"},
	} {
		t.Run(c.name, func(t *testing.T) {
			err := check(c.before, lot.Event{ID: uuid.New(), HappenedAt: at(c.hours)}, c.p, at(10))
			bad, _ := err.(invalid.Errors)
			if c.field == "" && err != nil {
				t.Errorf("refused: %v", err)
			}
			if c.field != "" && bad.On(c.field) == "" {
				t.Errorf("got %v, want an error on %q", err, c.field)
			}
		})
	}
}

func TestChainShowsEveryAlteration(t *testing.T) {
	build := func() []lot.Event {
		h := cod()
		h.Add(1, lot.Moved{PlaceID: 20})
		h.Add(2, lot.Temperature{Celsius: 1})
		return h.Events
	}
	if err := lot.CheckChain(build()); err != nil {
		t.Fatal(err)
	}
	for name, alter := range map[string]func(e []lot.Event) []lot.Event{
		"payload":  func(e []lot.Event) []lot.Event { e[1].Data = json.RawMessage(`{"place_id":10}`); return e },
		"time":     func(e []lot.Event) []lot.Event { e[1].HappenedAt = at(1.5); return e },
		"person":   func(e []lot.Event) []lot.Event { e[2].PersonID = 2; return e },
		"missing":  func(e []lot.Event) []lot.Event { return append(e[:1], e[2]) },
		"rehashed": func(e []lot.Event) []lot.Event { e[1].PersonID = 2; e[1].Hash = e[1].Digest(); return e },
	} {
		if lot.CheckChain(alter(build())) == nil {
			t.Errorf("%s: the alteration does not show", name)
		}
	}
}

func TestCodesAreUnique(t *testing.T) {
	seen := map[string]int{}
	for n := 1; n <= 130_000; n++ {
		code := lot.Code(n)
		if first, ok := seen[code]; ok {
			t.Fatalf("lots %d and %d are both %s", first, n, code)
		}
		seen[code] = n
	}
}

func TestNextNamesWhatIsDue(t *testing.T) {
	h := &history{ID: uuid.New()}
	caught := at(-48)
	h.Add(0, lot.Received{SpeciesID: "cod", Form: "gutted", Count: 1, WeightKg: 3.2, Ice: "none", PlaceID: 10,
		LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}})
	s := h.Fold(t)
	e := env(at(2), nil)
	var dos []string
	for _, a := range DueActions(s, assessNow(s, e), e) {
		dos = append(dos, a.Do)
	}
	if got := strings.Join(dos, ", "); got != "Inspect, Move, Log temperature, Use or discard" { // soonest first
		t.Errorf("due: %s", got)
	}
}
