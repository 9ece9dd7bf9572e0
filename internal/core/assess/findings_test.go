package assess

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/thawing"
)

// Histories that were once called fit, and must not be: the uses that are closed, and those
// that stay open.
func TestFalseFine(t *testing.T) {
	vacuum := froze()
	vacuum.Wrapping = "vacuum"
	opened := pulled(thawing.Fridge)
	opened.Opened, opened.EndUse = true, thawing.Raw
	forever := pulled(thawing.Fridge)
	forever.Keeps = 1e6
	received := func(species, form string, frozen bool, core float64) *history {
		h, caught := &history{ID: uuid.New()}, at(-12)
		place := int64(20)
		if frozen {
			place = 30
		}
		h.Add(0, lot.Received{SpeciesID: species, Form: form, Count: 1, WeightKg: 1, Frozen: frozen, CoreC: &core,
			Ice: "well_iced", PlaceID: place, SupplierID: 1, LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}})
		return h
	}
	today := inspected(1, 0.4, freshness.AcceptToday)
	with := func(h *history, steps ...step) *history {
		for _, s := range steps {
			h.Add(s.hours, s.p)
		}
		return h
	}
	accepted := step{0.1, inspected(1, 0.4, freshness.Accept)}
	spell := func(h float64) float64 { // a freezer that failed for two days and a half
		if h >= 200 && h < 260 {
			return 10
		}
		return -23
	}
	ager := func(e Env) Env {
		hung, cabinets := hungBream(2)
		_ = hung
		e.Cabinets, e.Places[60] = cabinets.Cabinets, cabinets.Places[60]
		return e
	}
	hung := lot.Hung{PlaceID: 60, Hook: 1, Kg: 2, Policy: "short_dry", Target: 0.05, Hanging: "head_down", Raw: true}
	for _, c := range []struct {
		what   string
		h      *history
		env    Env
		closed string // uses
		clock  ClockID
	}{
		{"thawed in the freezer under a vacuum pack, and frozen again", with(cod(), accepted, step{1, vacuum},
			step{400, opened}, step{425, lot.Thawed{CoreC: 0.5}}), inFreezer(426, spell), "raw freeze dry_age", ClockFrozenBreak},
		{"the same, delivered frozen", with(received("cod", "fillet_skin_on", true, -22), step{400, opened},
			step{425, lot.Thawed{CoreC: 0.5}}), inFreezer(426, spell), "raw freeze dry_age", ClockFrozenBreak},
		{"a puffer", with(received("puffer", "whole", false, 1), accepted), env(at(1), nil), "raw cook dry_age freeze stock",
			ClockBanned},
		{"received at 14 °C, not looked at", received("cod", "whole", false, 14), env(at(1), nil),
			"raw cook dry_age freeze stock", ClockDecision},
		{"cooked, its cooling never measured", with(cod(), accepted, step{1, lot.Cooked{CoreC: 70}}), env(at(8), nil),
			"raw cook dry_age freeze stock", ClockCooling},
		{"cooked and chilled, then 34 h on a bench", with(cod(), accepted, step{1, lot.Cooked{CoreC: 70}},
			step{2, lot.Temperature{Celsius: 18}}, step{5, lot.Temperature{Celsius: 3}}, step{6, lot.Moved{PlaceID: 50}}),
			inFreezer(40, steady(-22)), "raw cook dry_age freeze stock", ClockCooked},
		{"accepted for the day, six days ago", with(cod(), step{0.1, today}), env(at(6*24), nil),
			"raw cook dry_age freeze stock", ClockDecision},
		{"served long after its ageing ended", with(received("sea-bream", "gutted_gills_out", false, 1), accepted, step{2, hung},
			step{2 + 7*24, lot.TakenDown{Kg: 1.85, CrustKg: 0.1, PlaceID: 20}}), ager(env(at(45*24), nil)),
			"raw cook dry_age freeze stock", ClockAgeing},
		{"eighteen hours at 10 °C in a walk-in that is measured", with(cod(), accepted, step{0.2, lot.Moved{PlaceID: 20}}),
			inAir(30, during(2, 20, 10, 1)), "raw cook dry_age freeze stock", ClockOutOfCold},
		{"two hours at 10 °C", with(cod(), accepted, step{0.2, lot.Moved{PlaceID: 20}}), inAir(4.5, during(2, 4.5, 10, 1)),
			"raw dry_age freeze", ClockOutOfCold},
		{"the same, a day later", with(cod(), accepted, step{0.2, lot.Moved{PlaceID: 20}}), inAir(30, during(2, 4.5, 10, 1)),
			"raw cook dry_age freeze stock", ClockOutOfCold},
		{"twenty hours on a bench", with(cod(), accepted, step{1, lot.Moved{PlaceID: 50}}), inFreezer(21, steady(-22)),
			"raw cook dry_age freeze stock", ClockOutOfCold},
		{"its core at 9 °C for two hours, in a place that nobody measures", with(cod(), accepted, step{1, lot.Temperature{Celsius: 2}},
			step{2, lot.Temperature{Celsius: 9}}, step{2.5, lot.Temperature{Celsius: 9}}, step{2.7, lot.Temperature{Celsius: 1}}),
			env(at(3), nil), "raw dry_age freeze", ClockOutOfCold},
		{"its core at 9 °C for five hours", with(cod(), accepted, step{2, lot.Temperature{Celsius: 9}},
			step{4, lot.Temperature{Celsius: 9}}, step{7, lot.Temperature{Celsius: 9}}), env(at(8), nil),
			"raw cook dry_age freeze stock", ClockOutOfCold},
		{"a fillet eighty hours old", with(received("salmon", "fillet_skin_on", false, 1), accepted), env(at(80), nil), "raw",
			ClockCut},
		{"thawed, and kept for as long as somebody wrote", with(cod(), accepted, step{1, froze()}, step{200, forever},
			step{225, lot.Thawed{CoreC: 0.5}}), inFreezer(300, steady(-23)), "raw cook dry_age freeze stock", ClockAfterThaw},
		{"a grouper from nobody knows where", with(received("grouper", "whole", false, 1), accepted), env(at(1), nil),
			"raw cook dry_age freeze stock", ClockOrigin},
		{"a grouper from Fiji", with(received("grouper", "whole", false, 1), accepted, step{0.2,
			lot.Declared{ReefOrigin: "Suva, Fiji", Reason: "the skipper's log"}}), env(at(1), nil),
			"raw cook dry_age freeze stock", ClockOrigin},
	} {
		s := c.h.Fold(t)
		a := assessNow(s, c.env)
		for _, use := range Fitness(s, a) {
			if closed := strings.Contains(c.closed, use.ID); closed && (use.OK || !closes(a, c.clock, lot.Gate(use.ID))) {
				t.Errorf("%s: %s is %v, clock %+v", c.what, use.ID, use.OK, clockOf(a, c.clock))
			} else if !closed && closes(a, c.clock, lot.Gate(use.ID)) {
				t.Errorf("%s: %s is closed by %s", c.what, use.ID, c.clock)
			}
		}
		if strings.Contains(c.closed, "cook") {
			for _, end := range lot.EndUses {
				for _, p := range []lot.Payload{lot.Left{EndUse: end}, lot.Taken{EndUse: end, WeightKg: s.WeightKg / 4}} {
					if admit(s, c.env, c.env.Now.Sub(t0).Hours(), p) == nil {
						t.Errorf("%s: it was %s as %s", c.what, lot.KindOf(p), end.Name())
					}
				}
			}
			if err := admit(s, c.env, c.env.Now.Sub(t0).Hours(), lot.Discarded{Reason: "unsafe"}); err != nil {
				t.Errorf("%s: it cannot even be discarded: %v", c.what, err)
			}
		}
	}
}

type step struct {
	hours float64
	p     lot.Payload
}

func clockOf(a Assessment, id ClockID) Reading {
	for _, r := range a.Clocks {
		if r.ID == id {
			return r
		}
	}
	return Reading{}
}

// Wet fish whose life is over goes into the pan only after a look that passes; two hours in
// an ageing cabinet do not make it aged fish.
func TestPastItsLife(t *testing.T) {
	cook := func(h *history, e Env) Use { s := h.Fold(t); return Fitness(s, assessNow(s, e))[1] }
	cold := map[int64]coldchain.Record{7: everywhere(1)}
	never := cod()
	if u := cook(never, env(at(30*24), nil)); u.OK {
		t.Errorf("thirty days, never looked at: %+v", u)
	}
	looked := cod()
	looked.Add(0.1, lot.Moved{PlaceID: 20})
	looked.Add(14*24, inspected(8, 1, freshness.Accept))
	if u := cook(looked, env(at(14*24+2), cold)); !u.OK {
		t.Errorf("a look that passed two hours ago: %v", u.Reasons)
	}
	if u := cook(looked, env(at(14*24+25), cold)); u.OK {
		t.Error("a look of yesterday")
	}
	hung, e := hungBream(2)
	hung.Add(26, lot.TakenDown{Kg: 1.99, PlaceID: 10})
	e.Now = at(40 * 24)
	if u := cook(hung, e); u.OK {
		t.Error("two hours in the cabinet, then a month")
	}
}

// What is accepted for the day ends at four in the morning of the kitchen.
func TestTheDayOfAKitchen(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ at, want string }{
		{"2026-03-02T10:00:00+01:00", "2026-03-03T04:00:00+01:00"},
		{"2026-03-02T23:59:00+01:00", "2026-03-03T04:00:00+01:00"},
		{"2026-03-03T03:59:00+01:00", "2026-03-03T04:00:00+01:00"},
		{"2026-03-03T04:00:00+01:00", "2026-03-04T04:00:00+01:00"},
		{"2026-03-28T20:00:00+01:00", "2026-03-29T04:00:00+02:00"}, // the clocks go forward
	} {
		when, _ := time.Parse(time.RFC3339, c.at)
		want, _ := time.Parse(time.RFC3339, c.want)
		if got := DayEnd(when, oslo); !got.Equal(want) {
			t.Errorf("%s ends at %s, want %s", c.at, got, c.want)
		}
	}
}

// All clocks are always there, those that close nothing say nothing that closes, and what a
// clock closes is closed; raw fit implies cook fit.
func clocksHold(t *testing.T, s *lot.State, a Assessment) {
	t.Helper()
	if len(a.Clocks) != 14 {
		t.Fatalf("%d clocks", len(a.Clocks))
	}
	fit := map[lot.Gate]bool{}
	for _, use := range Fitness(s, a) {
		fit[lot.Gate(use.ID)] = use.OK
	}
	for _, r := range a.Clocks {
		if len(r.Guards) > 0 && r.Why == "" {
			t.Fatalf("%s closes %v and does not say why", r.ID, r.Guards)
		}
		for _, g := range r.Guards {
			if fit[g] {
				t.Fatalf("fit for %s though %s is %s: %s", g, r.ID, r.State, r.Why)
			}
		}
	}
	if fit[lot.GateRaw] && !fit[lot.GateCook] {
		t.Fatal("fit for raw service, not for the pan")
	}
	for exit, use := range exits {
		if a.Facts(lot.Left{}).Answers[exit].OK != fit[use] {
			t.Fatalf("the exit %s and the use %s disagree", exit, use)
		}
	}
}

// Good fish is fit, and not without what makes it so: what is left against raw service.
func TestGoodFishIsFitForRaw(t *testing.T) {
	farmed := func(id string) Declaration {
		return Declaration{ID: uuid.New(), Kind: DeclaredFarmed, SupplierID: 1, SpeciesID: id, IssuedOn: at(-1000),
			ValidTo: at(1000), Reference: "F 12"}
	}
	frozen := farmed("salmon")
	frozen.Kind, frozen.SupplierLot, frozen.RouteC, frozen.RouteHours = DeclaredFrozen, "88-1", -20, 168
	fresh := func(id string, days float64, read *lot.Inspected) *history {
		core, caught, h := 1.0, at(-24*days), &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: id, Form: "gutted", Count: 1, WeightKg: 1, CoreC: &core, Ice: "well_iced", PlaceID: 20,
			SupplierID: 1, LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, Origin: lot.Farmed})
		if read != nil {
			h.Add(0.1, *read)
		}
		return h
	}
	thawed := func(core, months float64, change func(*lot.Received)) *history {
		caught, h := at(-24*30*months), &history{ID: uuid.New()}
		r := lot.Received{SpeciesID: "salmon", Form: "fillet_skin_on", Frozen: true, Count: 1, WeightKg: 3, CoreC: &core, Ice: "none",
			PlaceID: 30, SupplierID: 1, SupplierLot: "88-1", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}}
		change(&r)
		h.Add(0, r)
		h.Add(0.05, lot.GapExplained{Until: at(0.05), Explanation: "the carrier's logger, frozen on board at once"})
		h.Add(0.1, lot.Inspected{Scheme: "frozen", SchemeVersion: 1, Fish: []freshness.Fish{{Signs: freshness.Signs{"frost": 0}}},
			Proposed: freshness.Verdict{Decision: freshness.Accept, Rule: "by the pack"}, Decision: freshness.Accept})
		out := pulled(thawing.Fridge)
		out.EndUse = thawing.Raw
		h.Add(48, out)
		h.Add(70, lot.Thawed{CoreC: 0.5})
		return h
	}
	as := func(*lot.Received) {}
	perfect, tired := inspected(0.5, 2, freshness.Accept), inspected(6, 2, freshness.Accept)
	iced, freezer := inAir(1, steady(1)), inFreezer(71, steady(-23))
	for _, c := range []struct {
		what    string
		h       *history
		env     Env
		letter  *Declaration
		against string // "" for nothing
	}{
		{"a perfect bass", fresh("sea-bass", 1, &perfect), iced, new(farmed("sea-bass")), ""},
		{"a perfect salmon", fresh("salmon", 2, &perfect), iced, new(farmed("salmon")), ""},
		{"a perfect turbot", fresh("turbot", 1.5, &perfect), iced, new(farmed("turbot")), ""},
		{"a wild one", fresh("turbot", 1.5, &perfect), iced, nil, "parasite"},
		{"one that nobody looked at", fresh("sea-bass", 1, nil), iced, new(farmed("sea-bass")), "not inspected"},
		{"one that reads old", fresh("sea-bass", 1, &tired), iced, new(farmed("sea-bass")), "third of its life"},
		{"delivered frozen, with its letter", thawed(-21, 1, as), freezer, &frozen, ""},
		{"just as cold as it must be", thawed(-15, 1, as), freezer, &frozen, ""},
		{"a degree warmer", thawed(-14, 1, as), freezer, &frozen, "delivered at −14.0 °C"},
		{"its core not measured", thawed(-21, 1, func(r *lot.Received) { r.CoreC = nil }), freezer, &frozen, "not measured"},
		{"frozen nobody knows when", thawed(-21, 1, func(r *lot.Received) { r.LabelDate = lot.LabelDate{} }), freezer, &frozen,
			"how long it has been frozen"},
		{"frozen for three months", thawed(-21, 3, as), freezer, &frozen, "of its frozen life is used"},
		{"without its letter", thawed(-21, 1, as), freezer, nil, "parasite"},
	} {
		if c.letter != nil {
			c.env.Declarations = []Declaration{*c.letter}
		}
		s := c.h.Fold(t)
		raw := Fitness(s, assessNow(s, c.env))[0]
		if said := strings.Join(raw.Reasons, "; "); raw.OK != (c.against == "") || !strings.Contains(said, c.against) {
			t.Errorf("%s: raw is %v, against it %q; want %q", c.what, raw.OK, said, c.against)
		}
	}
}

// A boat's fish still cools in its ice when it comes: with its hour of death it is received by the landing
// table, without by the limit of the rules.
func TestReceivedByTheLandingTable(t *testing.T) {
	for _, c := range []struct {
		what  string
		death float64
		core  float64
		ice   string
		open  bool
	}{{"14 h after death", -14, 12, "well_iced", true}, {"16 h after death", -16, 12, "well_iced", false},
		{"without ice", -14, 12, "none", false}, {"nobody knows when", 0, 12, "well_iced", false}} {
		h := &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: "cod", Form: "gutted", Count: 4, WeightKg: 12, CoreC: &c.core, Ice: c.ice, PlaceID: 20, SupplierID: 1})
		if c.death < 0 {
			h.Add(c.death, lot.Caught{Gear: "hook", WaterC: celsius(10), AirC: celsius(12)})
			h.Add(c.death, lot.Killed{Method: "spike"})
			h.Add(c.death+1, lot.Iced{Method: "boxed"})
		}
		s := h.Fold(t)
		if open := !closes(assessNow(s, inAir(0.2, steady(1))), ClockDecision, lot.GateCook); open != c.open {
			t.Errorf("%s: open %v", c.what, open)
		}
	}
}

// Papers and fish that disagree close raw service until a manager inspects it and writes why.
func TestPapersAndFishDisagree(t *testing.T) {
	for _, c := range []struct {
		reason  string
		manager bool
		closed  bool
	}{{"", false, true}, {"", true, true}, {"the date is the day it was landed", false, true}, {"the date is the day it was landed", true, false}} {
		core, caught, h := 1.0, at(-80), &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: "halibut", Form: "gutted", Count: 1, WeightKg: 1, CoreC: &core, Ice: "well_iced", PlaceID: 20,
			OwnCatch: true, LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}})
		look := inspected(0.1, 0.1, freshness.Accept)
		look.Reason, look.ByManager = c.reason, c.manager
		h.Add(0.1, look)
		s := h.Fold(t)
		a := assessNow(s, inAir(1, steady(1)))
		if said := strings.Join(Fitness(s, a)[0].Reasons, "; "); strings.Contains(said, "disagree") != c.closed || *a.Gap > -2 {
			t.Errorf("by a manager %v, %q: %s; z = %.1f", c.manager, c.reason, said, *a.Gap)
		}
	}
}

// Fish a little warmer than the limit at its receipt is iced and measured again in time; warmer fish
// is not.
func TestMeasuredAgain(t *testing.T) {
	for _, c := range []struct {
		what    string
		core    float64
		again   []step
		hours   float64
		profile string
		open    bool
		due     bool
	}{
		{"at the limit", 2, nil, 0.5, "house-strict", true, false},
		{"above it", 2.1, nil, 0.5, "house-strict", false, true},
		{"measured cold in time", 2.6, []step{{1.9, lot.Temperature{Celsius: 2}}}, 2, "house-strict", true, false},
		{"measured warm in time", 2.6, []step{{1, lot.Temperature{Celsius: 2.1}}}, 1.5, "house-strict", false, true},
		{"measured cold too late", 2.6, []step{{2.1, lot.Temperature{Celsius: 1}}}, 3, "house-strict", false, false},
		{"too warm to be measured again", 3.1, []step{{1, lot.Temperature{Celsius: 1}}}, 1.5, "house-strict", false, false},
		{"accepted as it is", 2.6, []step{{0.2, inspected(1, 1, freshness.Accept)}}, 0.5, "house-strict", true, false},
		{"the same by the EU's rules", 4, []step{{1, lot.Temperature{Celsius: 1}}}, 1.5, "eu", true, false},
	} {
		core, caught, h := c.core, at(-12), &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: "cod", Form: "gutted", Count: 1, WeightKg: 3, CoreC: &core, Ice: "well_iced", PlaceID: 20,
			SupplierID: 1, LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}})
		for _, s := range c.again {
			h.Add(s.hours, s.p)
		}
		e := env(at(c.hours), nil)
		e.Profile, _ = safety.GetProfile(c.profile)
		s := h.Fold(t)
		a := assessNow(s, e)
		due := slices.ContainsFunc(DueActions(s, a, e), func(x Action) bool { return x.Do == "Measure the core temperature again" })
		if open := !closes(a, ClockDecision, lot.GateCook); open != c.open || due != c.due {
			t.Errorf("%s: open %v, measuring again is due %v: %+v", c.what, open, due, clockOf(a, ClockDecision))
		}
	}
}
