package assess

import (
	"errors"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/thawing"
)

// inFreezer is env with a freezer (place 30, probe 8) whose air is what c says of
// the hour each five minutes, and a fridge and a bench without probes.
func inFreezer(hours float64, c func(h float64) float64) Env {
	e := env(at(hours), map[int64]coldchain.Record{8: sensed(hours, c), 11: everywhere(2)})
	e.Places[30] = lot.Place{ID: 30, Name: "Freezer", Kind: "freezer", SetC: -22, Air: true,
		Probes: []lot.ProbeStay{{ProbeID: 8, Span: always}}}
	e.Places[40] = lot.Place{ID: 40, Name: "Thaw shelf", Kind: "thaw_shelf", SetC: 0, Air: true,
		Probes: []lot.ProbeStay{{ProbeID: 11, Span: always}}}
	e.Places[50] = lot.Place{ID: 50, Name: "Bench", Kind: "bench", SetC: 18}
	return e
}

func steady(c float64) func(float64) float64 { return func(float64) float64 { return c } }

func froze() lot.Froze {
	return lot.Froze{BatchID: uuid.New(), PlaceID: 30, Method: "fan", Wrapping: "bare", Preps: []string{"bled"},
		Shape: heat.Slab, MM: 25, StartC: 1, AirC: -22, H: 20, BatchKg: 3.2}
}

func pulled(method string) lot.Pulled {
	return lot.Pulled{PlaceID: 40, Method: method, EndUse: thawing.Cook, MediumC: 2, H: 9, Shape: heat.Slab, MM: 25,
		IceFree: 20, Keeps: 48}
}

// frozenCod is cod's history, inspected, and in the freezer an hour later.
func frozenCod(f lot.Froze) *history {
	h := cod()
	h.Add(0.2, inspected(2.2, 0.5, freshness.Accept))
	h.Add(1, f)
	return h
}

// The ice clock runs until the core is hard, paused while frozen, and goes on from
// there when the fish is pulled.
func TestTheQualityClockIsPausedWhileFrozen(t *testing.T) {
	h := frozenCod(froze())
	first := assessNow(h.Fold(t), inFreezer(9, steady(-22)))
	later := assessNow(h.Fold(t), inFreezer(30*24, steady(-22)))
	near(t, "ice days after a month", later.Used.Days, first.Used.Days, 1e-3)
	if !later.Frozen || later.Known() || later.NowC > -21.9 || later.NowC < -22.1 {
		t.Errorf("frozen %v, known %v, %v °C", later.Frozen, later.Known(), later.NowC)
	}
	before := assessNow(cod().Fold(t), env(at(1), nil)).Used.Days // not inspected: by the papers
	if used := first.Used.Days; used < 2.2 || used > 2.2+0.2 || math.IsNaN(before) {
		t.Errorf("%v fresh days spent until it was hard", used)
	}
	h.Add(30*24, pulled(thawing.Fridge))
	e := inFreezer(30*24+1, steady(-22))
	e.Now = at(30*24 + 24)
	thawed := assessNow(h.Fold(t), e)
	if more := thawed.Used.Days - later.Used.Days; thawed.Frozen || more < 0.4 || more > 1.3 {
		t.Errorf("a day of thawing cost %v ice days", more)
	}
	if s := h.Fold(t); !s.Thawing() || s.Place() != 40 || thawed.KeepTo != thawed.ThawReady.Add(48*time.Hour) {
		t.Errorf("thawing %v in %d, ready %v, keeps to %v", s.Thawing(), s.Place(), thawed.ThawReady, thawed.KeepTo)
	}
	h.Add(30*24+22, lot.Thawed{CoreC: 0.5, DripKg: 0.1, GlazeKg: 0.05})
	s := h.Fold(t)
	near(t, "kg", s.WeightKg, 3.05, 1e-9)
	e.Now = at(30*24 + 22 + 49)
	if a := assessNow(s, e); s.Thawing() || a.KeepTo != at(30*24+22+48) || len(a.Stops) == 0 {
		t.Errorf("after 49 h: %v, keeps to %v", a.Stops, a.KeepTo)
	}
}

// Fish counts as thawed when its core is, as it was measured or as the heat model has it in the air that
// was: not when it was planned, nor when somebody came to look; a colder core says that it is not.
func TestFromWhenFishIsThawed(t *testing.T) {
	ready := func(shelf float64, what ...any) float64 {
		h := frozenCod(froze())
		h.Add(48, pulled(thawing.Fridge))
		for i := 0; i < len(what); i += 2 {
			h.Add(48+what[i].(float64), what[i+1].(lot.Payload))
		}
		e := inFreezer(48, steady(-22))
		e.Now = at(48 + 60)
		probe := e.Probe
		e.Probe = func(id int64) coldchain.Record {
			if id == 11 {
				return everywhere(shelf)
			}
			return probe(id)
		}
		return assessNow(h.Fold(t), e).ThawReady.Sub(at(48)).Hours()
	}
	cold, warm := ready(2), ready(6)
	process := heat.Process{StartC: -22, Medium: heat.Steady(2), H: 9, Max: 200 * time.Hour,
		Goals: []heat.Goal{{Part: heat.All, Op: heat.AtLeast, Celsius: thawing.IceFreeC}}}
	material, err := heat.Of(frozenCod(froze()).Fold(t).Species()).Material()
	if err != nil {
		t.Fatal(err)
	}
	process.Body = pulled(thawing.Fridge).Piece().Body(material)
	result, err := process.Run()
	if err != nil {
		t.Fatal(err)
	}
	near(t, "in 2 °C, by the heat solver", cold, result.Reached[0].Hours(), 0.3)
	if warm > 0.75*cold {
		t.Errorf("thawed after %.1f h in 2 °C, %.1f h in 6 °C", cold, warm)
	}
	near(t, "looked at late", ready(2, 50.0, lot.Thawed{CoreC: 1}), cold, 1e-9)
	near(t, "found early", ready(2, 12.0, lot.Thawed{CoreC: 0.5}), 12, 1e-9)
	near(t, "still hard inside", ready(2, cold+3, lot.Temperature{Celsius: -2}), cold+3, 1e-6)
	near(t, "carried to another place", ready(2, 6.0, lot.Moved{PlaceID: 20}, 6.1, lot.Moved{PlaceID: 40}), cold, 1.5)
}

// The parasite clock starts when the core is there; a warm spell starts it
// again; seven days later it is done, and not before.
func TestTheParasiteClockOfABatch(t *testing.T) {
	h := frozenCod(froze())
	h.Add(12, lot.Temperature{Celsius: -21.5})
	during := func(h float64) float64 {
		if h >= 60 && h < 66 {
			return -12
		}
		return -24
	}
	for _, c := range []struct {
		hours  float64
		met    bool
		breaks int
	}{{24, false, 0}, {100, false, 1}, {66 + 7*24, false, 1}, {66 + 7*24 + 10, true, 1}} {
		a := assessNow(h.Fold(t), inFreezer(c.hours, during))
		p := a.Parasites
		if p.Met != c.met || len(p.Broken) != c.breaks {
			t.Errorf("after %v h: %+v", c.hours, p)
		}
		if c.breaks == 1 && (p.Broken[0].At.Before(at(60)) || p.Broken[0].At.After(at(63)) ||
			p.Since.Before(at(66)) || p.Since.After(at(70))) {
			t.Errorf("broken at %v, runs since %v", p.Broken[0].At, p.Since)
		}
		if c.hours == 24 && (p.Predicted || p.Since.Before(at(3)) || p.Since.After(at(12)) ||
			!strings.Contains(p.Text(), "left")) {
			t.Errorf("after a day: since %v, predicted %v: %s", p.Since, p.Predicted, p.Text())
		}
	}
	// What only the model says gets a margin, and what nobody recorded does not count.
	model := assessNow(frozenCod(froze()).Fold(t), inFreezer(100, steady(-24))).Parasites
	if !model.Predicted || model.Margin <= 0 || model.Remaining != 168*time.Hour-at(100).Sub(model.Since)+model.Margin {
		t.Errorf("%+v", model)
	}
	dark := inFreezer(300, steady(-24))
	dark.Probe = func(int64) coldchain.Record { return nil }
	if p := assessNow(frozenCod(froze()).Fold(t), dark).Parasites; p.Met || !p.Since.IsZero() {
		t.Errorf("without a record: %+v", p)
	}
}

// The core's own readings correct the model: a freezer that cools half as well
// as was said freezes later.
// A defrosting freezer does not start the parasite clock again; one that is too long at it, or too warm,
// does.
func TestDefrosting(t *testing.T) {
	for _, c := range []struct {
		minutes, celsius float64
		broken           bool
	}{{25, -15.2, false}, {45, -15.2, true}, {25, -9, true}} {
		h := frozenCod(froze())
		air := func(h float64) float64 {
			if h > 24 && math.Mod(h, 6) < c.minutes/60 {
				return c.celsius
			}
			return -20.4
		}
		if p := assessNow(h.Fold(t), inFreezer(24*12, air)).Parasites; p.Met == c.broken || len(p.Broken) > 0 != c.broken {
			t.Errorf("%.0f min at %.1f °C each six hours: met %v, broken %d times", c.minutes, c.celsius, p.Met, len(p.Broken))
		}
	}
}

func TestCoreReadingsCorrectTheModel(t *testing.T) {
	slow := frozenCod(froze())
	slow.Add(3, lot.Temperature{Celsius: -0.9})
	slow.Add(6, lot.Temperature{Celsius: -3.2})
	e := inFreezer(40, steady(-24))
	expected, found := assessNow(frozenCod(froze()).Fold(t), e), assessNow(slow.Fold(t), e)
	if a, b := expected.Parasites.Since, found.Parasites.Since; b.Sub(a) < time.Hour {
		t.Errorf("at −20 °C by the model %v, by the readings %v", a, b)
	}
}

// Fish that came frozen: nobody says how old it was; its clock counts from here.
func TestFishThatCameFrozen(t *testing.T) {
	core, caught := -21.0, at(-90*24)
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(9), SpeciesID: "cod", Form: "fillet_skinless",
		Frozen: true, Count: 40, WeightKg: 6.4, CoreC: &core,
		Ice: "none", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 5, PlaceID: 30})
	e := inFreezer(8*24, steady(-22))
	a := assessNow(h.Fold(t), e)
	if a.Basis != freshness.BasisNone || a.Parasites.Predicted || !a.Parasites.Met {
		t.Errorf("basis %q, %+v", a.Basis, a.Parasites)
	}
	life := a.FrozenLife
	if life == nil || life.Known != at(8*24).Sub(caught) || life.LeftMonths <= 0 {
		t.Fatalf("%+v", life)
	}
	// Ninety days assumed at −18 °C, eight measured at −22: lean fish.
	near(t, "share of the frozen life", life.Share, 90*24/(9*730.5)+8*24/(10.9*730.5), 0.01)
	if !life.BestBefore.After(e.Now) {
		t.Errorf("best before %v", life.BestBefore)
	}
}

// A warm week has its price, and warmer than a life is known for holds the fish.
func TestAWarmWeekHasItsPrice(t *testing.T) {
	week := func(c float64) Assessment {
		return assessNow(frozenCod(froze()).Fold(t), inFreezer(30*24, func(h float64) float64 {
			if h >= 200 && h < 200+168 {
				return c
			}
			return -22
		}))
	}
	warm := week(-14)
	near(t, "warm days", warm.FrozenLife.WarmDays, 7, 0.3)
	near(t, "its cost", warm.FrozenLife.WarmCost, 168/730.5*(1/5.24-1/10.9), 0.002)
	if len(warm.Stops) != 0 {
		t.Errorf("stopped: %v", warm.Stops)
	}
	if held := week(-10); len(held.Stops) == 0 {
		t.Error("a week at −10 °C is no reason to hold it")
	}
}

// A letter counts for its supplier, its species, and deliveries in its time; a farmed one for fish
// that is recorded as farmed, a freezing one for the lot that it names, by a route of the rules.
func TestLetters(t *testing.T) {
	letter := Declaration{ID: uuid.New(), Kind: DeclaredFarmed, SupplierID: 1, SpeciesID: "cod", IssuedOn: at(-100),
		ValidTo: at(24), Reference: "F 12"}
	for what, c := range map[string]struct {
		change func(*Declaration)
		met    bool
	}{
		"as it is": {func(*Declaration) {}, true}, "another supplier": {func(l *Declaration) { l.SupplierID = 2 },
			false}, "another species": {func(l *Declaration) { l.SpeciesID = "salmon" }, false},
		"wild":           {func(*Declaration) {}, false},
		"run out":        {func(l *Declaration) { l.ValidTo = at(-25) }, false},
		"issued later":   {func(l *Declaration) { l.IssuedOn = at(1) }, false},
		"of frozen fish": {func(l *Declaration) { l.Kind = DeclaredFrozen }, false},
	} {
		l := letter
		c.change(&l)
		e := env(at(1), nil)
		e.Declarations = []Declaration{l}
		h := cod()
		if h.Add(0, lot.Declared{Origin: lot.Wild, Reason: "the boat says so"}); what != "wild" {
			h.Add(0, lot.Declared{Origin: lot.Farmed, Reason: "the papers say so"})
		}
		if got := assessNow(h.Fold(t), e).Parasites; got.Met != c.met || (got.Declaration != nil) != c.met {
			t.Errorf("%s: %+v", what, got)
		}
	}
	core := -21.0
	for _, c := range []struct {
		what, lot, rules string
		celsius, hours   float64
		met              bool
	}{
		{"its lot", "88-1", "house-strict", -20, 168, true}, {"colder and longer", "88-1", "house-strict", -22, 200, true},
		{"another lot", "88-2", "house-strict", -20, 168, false}, {"no lot", "", "house-strict", -20, 168, false},
		{"a day, by the strict rules", "88-1", "house-strict", -20, 24, false}, {"a day, by the EU's", "88-1", "eu", -20, 24, true},
		{"a degree too warm", "88-1", "eu", -19, 400, false}, {"an hour too short", "88-1", "house-strict", -35, 14, false},
		{"the cold route", "88-1", "house-strict", -35, 15, true},
	} {
		h := &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: "cod", Form: "fillet_skin_on", Frozen: true, Count: 1, WeightKg: 1, CoreC: &core,
			Ice: "none", SupplierID: 1, SupplierLot: "88-1", PlaceID: 30})
		e := inFreezer(1, steady(-22))
		e.Profile = profileOf(t, c.rules)
		e.Declarations = []Declaration{{ID: uuid.New(), Kind: DeclaredFrozen, SupplierID: 1, SpeciesID: "cod", IssuedOn: at(-100),
			ValidTo: at(24), Reference: "F 13", SupplierLot: c.lot, RouteC: c.celsius, RouteHours: c.hours}}
		if got := assessNow(h.Fold(t), e).Parasites; got.Met != c.met {
			t.Errorf("%s: %+v", c.what, got)
		}
	}
}

// What harms is refused, with its reason beside the field.
func TestWhatIsRefusedOfFrozenFish(t *testing.T) {
	packed := froze()
	packed.Wrapping = "vacuum"
	closed, open := pulled(thawing.Fridge), pulled(thawing.Fridge)
	open.Opened = true
	back := lot.Returned{PlaceID: 30, CoreC: -5, Reason: "too much was pulled", Approval: lot.Approval{ByManager: true}}
	with := func(change func(*lot.Returned)) lot.Returned { b := back; change(&b); return b }
	film := func(otr float64, tight bool) lot.Packed {
		return lot.Packed{Packing: lot.Packing{Pack: lot.PackFilm, OTR: &otr, Tight: tight}}
	}
	inWater := pulled(thawing.Water)
	bench := pulled("bench")
	for what, c := range map[string]struct {
		before []lot.Payload
		p      lot.Payload
		field  string // "" where it is taken
	}{
		"a sealed vacuum pack":      {[]lot.Payload{packed}, closed, "opened"},
		"an opened one":             {[]lot.Payload{packed}, open, ""},
		"tight film that breathes":  {[]lot.Payload{film(20000, true), froze()}, closed, "opened"},
		"film that does not":        {[]lot.Payload{film(3000, false), froze()}, closed, "opened"},
		"film that breathes, loose": {[]lot.Payload{film(20000, false), froze()}, closed, ""},
		"cling film":                {[]lot.Payload{lot.Packed{Packing: lot.Packing{Pack: lot.PackCling}}, froze()}, closed, "opened"},
		"a bench overnight":         {[]lot.Payload{froze()}, bench, "method"},
		"freezing what is frozen":   {[]lot.Payload{froze()}, froze(), "lot"},
		"freezing what was thawed":  {[]lot.Payload{froze(), closed, lot.Thawed{CoreC: 1}}, froze(), "lot"},
		"pulling what is fresh":     {nil, closed, "lot"},
		"a core with ice in it":     {[]lot.Payload{froze(), closed}, lot.Thawed{CoreC: -2}, "core_celsius"},
		"more drip than fish":       {[]lot.Payload{froze(), closed}, lot.Thawed{CoreC: 1, DripKg: 4}, "drip_kg"},
		"back, still hard":          {[]lot.Payload{froze(), closed}, back, ""},
		"back, core above −3 °C": {[]lot.Payload{froze(), closed},
			with(func(r *lot.Returned) { r.CoreC = -2.9 }), "core_celsius"},
		"back, by the crew": {[]lot.Payload{froze(), closed},
			with(func(r *lot.Returned) { r.ByManager = false }), "lot"},
		"back, thawed":                         {[]lot.Payload{froze(), closed, lot.Thawed{CoreC: 1}}, back, "lot"},
		"back, out of water":                   {[]lot.Payload{froze(), inWater}, back, "lot"},
		"freezing in air that does not freeze": {nil, func() lot.Froze { f := froze(); f.AirC = -2; return f }(), "air_celsius"},
	} {
		h := cod()
		for i, p := range c.before {
			h.Add(float64(i+1), p)
		}
		err := check(h.Fold(t), lot.Event{ID: uuid.New(), HappenedAt: at(9)}, c.p, at(9))
		var bad invalid.Errors
		switch errors.As(err, &bad); {
		case c.field == "" && err != nil:
			t.Errorf("%s: %v", what, err)
		case c.field != "" && bad.On(c.field) == "":
			t.Errorf("%s: %v, want an error on %s", what, err, c.field)
		}
	}
}

// Fish goes into a freezer by being frozen, comes out by being pulled, and has
// one way on from water.
func TestMayMove(t *testing.T) {
	e := inFreezer(3, steady(-22))
	fresh, frozen, wet := cod(), frozenCod(froze()), frozenCod(froze())
	wet.Add(2, pulled(thawing.Water))
	for _, c := range []struct {
		h     *history
		place int64
		may   bool
	}{{fresh, 20, true}, {fresh, 30, false}, {frozen, 20, false}, {frozen, 50, false},
		{wet, 20, false}, {wet, 50, true}} {
		if err := admit(c.h.Fold(t), e, 3, lot.Moved{PlaceID: c.place}); (err == nil) != c.may {
			t.Errorf("to %s: %v", e.Places[c.place].Name, err)
		}
	}
	vacuum := froze()
	vacuum.Wrapping = "vacuum"
	for id, may := range map[string]bool{"model-code": false, "house-strict": false, "eu": true} {
		profile, _ := safety.GetProfile(id)
		e.Profile = profile
		if err := admit(fresh.Fold(t), e, 1, vacuum); (err == nil) != may {
			t.Errorf("vacuum before the frost, %s: %v", id, err)
		}
	}
}

// A part goes on with the frost, the thaw and the weight of its own.
func TestSplitLotsKeepTheirFreezing(t *testing.T) {
	h := frozenCod(froze())
	h.Add(200, pulled(thawing.Fridge))
	h.Add(222, lot.Thawed{CoreC: 0.4, DripKg: 0.2})
	whole := h.Fold(t)
	part := lot.Inherit(whole, whole.Head, lot.SplitLot{LotID: uuid.New(), Code: "CATCH-1", Count: 1, WeightKg: 1.1}, nil)
	child := &history{ID: uuid.New()}
	child.Add(223, part)
	s := child.Fold(t)
	e := inFreezer(230, steady(-22))
	a, b := assessNow(whole, e), assessNow(s, e)
	if s.WeightKg != 1.1 || len(s.CoreReadings) != len(whole.CoreReadings) ||
		len(s.Stays) != len(whole.Stays) || s.Thaw() == nil || s.Thawing() {
		t.Errorf("%v kg, %d spots, %d stays", s.WeightKg, len(s.CoreReadings), len(s.Stays))
	}
	near(t, "fresh days spent", b.Used.Days, a.Used.Days, 0.05) // a smaller piece follows its air faster
	if a.KeepTo != b.KeepTo || a.Parasites.Since != b.Parasites.Since {
		t.Errorf("keeps to %v and %v", a.KeepTo, b.KeepTo)
	}
}

// A part of a vacuum pack is one too.
func TestPartsKeepTheirPack(t *testing.T) {
	h := cod()
	r := h.Fold(t).Received
	r.Packing = &lot.Packing{Pack: lot.PackVacuum}
	packed := &history{ID: uuid.New()}
	packed.Add(0, r)
	whole := packed.Fold(t)
	child := &history{ID: uuid.New()}
	child.Add(1, lot.Inherit(whole, whole.Head, lot.SplitLot{LotID: uuid.New(), Code: "CATCH-2", Count: 1, WeightKg: 1}, nil))
	if p, said := child.Fold(t).Packing(); !said || p.Pack != lot.PackVacuum {
		t.Errorf("packed %+v, said %v", p, said)
	}
}

// Time on the bench counts; beyond what the profile allows the fish is no more
// for raw service, and may still be cooked.
func TestOutOfTheCold(t *testing.T) {
	h := cod()
	h.Add(0.2, inspected(2, 0.5, freshness.Accept))
	h.Add(1, lot.Moved{PlaceID: 20})
	h.Add(2, lot.Moved{PlaceID: 50})
	h.Add(3.5, lot.Moved{PlaceID: 20})
	e := inFreezer(3.5, steady(-22))
	probe := e.Probe
	e.Probe = func(id int64) coldchain.Record {
		if id == 7 {
			return everywhere(1)
		}
		return probe(id)
	}
	s := h.Fold(t)
	a := assessNow(s, e)
	if a.OutOfCold == nil || math.Abs(a.OutOfCold.Hours-1.5) > 1e-6 || a.OutOfCold.Allowed != 1 {
		t.Fatalf("%+v", a.OutOfCold)
	}
	for _, use := range Fitness(s, a) {
		said := strings.Contains(strings.Join(use.Reasons, " "), "out of the cold")
		if said != (use.ID == "raw" || use.ID == "freeze" || use.ID == "dry_age") {
			t.Errorf("%s: %v", use.ID, use.Reasons)
		}
	}
}

// A thawed lot under the rules may be served raw: accepted, young, frozen long
// enough, thawed for it.
func TestRawAfterFreezing(t *testing.T) {
	raw := pulled(thawing.Fridge)
	raw.EndUse = thawing.Raw
	core, caught := 1.0, at(-24)
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(4), SpeciesID: "salmon", Form: "fillet_skin_on",
		Count: 8, WeightKg: 9.6, CoreC: &core,
		Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1, PlaceID: 10})
	h.Add(0.2, inspected(2, 0.5, freshness.Accept))
	h.Add(1, froze())
	h.Add(12, lot.Temperature{Celsius: -21})
	h.Add(9*24, raw)
	h.Add(9*24+20, lot.Thawed{CoreC: 0.3})
	e := inFreezer(9*24+21, steady(-23))
	s := h.Fold(t)
	for _, use := range Fitness(s, assessNow(s, e)) {
		if use.ID == "raw" && !use.OK {
			t.Errorf("not fit to be served raw: %v", use.Reasons)
		}
		if use.ID == "freeze" && use.OK {
			t.Error("fit to be frozen again")
		}
	}
}
