package assess

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/rigor"
	"leancatch/internal/core/safety"
)

func celsius(c float64) *float64 { return &c }

// ownCatch begins a history: our own catch, landed on deck at t0.
func ownCatch(species string) *history {
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(2), SpeciesID: species, Form: "whole", Count: 12,
		WeightKg: 6, Ice: "none", SupplierID: 1, PlaceID: 30, OwnCatch: true})
	h.Add(0, lot.Caught{Area: "off the skerries", FAO: 27, Gear: "hook", Vessel: "Tern", WaterC: celsius(14),
		AirC: celsius(22)})
	return h
}

// ownCatchEnv is env with a deck (30) and a box of ice (40) that holds ice from
// t0 + 1 h on for a day.
func ownCatchEnv(now time.Time, probes map[int64]coldchain.Record) Env {
	e := env(now, probes)
	box := icing.Box{LengthMM: 600, WidthMM: 400, HeightMM: 300, WallMM: 30, WallWMK: 0.035}
	e.Places[30] = lot.Place{ID: 30, Name: "Deck", Kind: "deck", SetC: 15}
	e.Places[40] = lot.Place{ID: 40, Name: "Deck box", Kind: "tote", Box: &box, OutsideC: 20,
		Ice: icing.Predict(box, 20, []icing.Entry{{At: at(1), Kind: icing.Added, Kg: 24 * box.MeltPerHour(20)}})}
	return e
}

func tell(t *testing.T, h *history, hours float64) (*lot.State, Assessment) {
	t.Helper()
	s := h.Fold(t)
	return s, assessNow(s, ownCatchEnv(at(hours), nil))
}

// Our own catch comes as warm as the water: its core at receipt is the first that was cold.
func TestTheCoreOfOurOwnCatch(t *testing.T) {
	h := ownCatch("cod")
	h.Add(0, lot.Killed{Method: "air"})
	h.Add(0.5, lot.Iced{Method: "boxed", PlaceID: 40})
	profile := ownCatchEnv(at(0), nil).Profile
	core := func() *float64 { return h.Fold(t).ReceiptCore(profile) }
	if got := core(); got != nil {
		t.Errorf("nobody measured, and it is %.1f °C", *got)
	}
	h.Add(1, lot.Temperature{Celsius: 9})
	if got := core(); got != nil {
		t.Errorf("it cools yet, and counts as %.1f °C", *got)
	}
	h.Add(3, lot.Temperature{Celsius: 0.8})
	if got := core(); got == nil || *got != 0.8 {
		t.Errorf("measured cold, and it is %v", got)
	}
}

// A mackerel from the deck on: the way to the ice runs, the ice answers for the
// hours in it, and what nobody saw holds it.
func TestAMackerelOfOurOwn(t *testing.T) {
	h := ownCatch("mackerel")
	state := func(hours float64, want safety.State) Assessment {
		t.Helper()
		_, a := tell(t, h, hours)
		if a.Histamine.State != want {
			t.Errorf("after %v h: %s (%v), want %s", hours, a.Histamine.State, a.Histamine.Reasons, want)
		}
		if held := closes(a, ClockToChill, lot.GateCook) || closes(a, ClockHistamine, lot.GateCook); held != a.Histamine.Holds() {
			t.Errorf("after %v h: clocks %+v", hours, a.Clocks[:2])
		}
		return a
	}
	_, assumed := tell(t, h, 0.2)
	h.Add(0.1, lot.Killed{Method: "spike"})
	if stamped := state(2, safety.StateOK); stamped.DeclaredAge.SD >= assumed.DeclaredAge.SD {
		t.Errorf("a stamped death is no surer than an assumed one: %.2f and %.2f", stamped.DeclaredAge.SD,
			assumed.DeclaredAge.SD)
	}
	state(7, safety.StateWarn)   // of 9 h: the air was 22 °C
	state(9.2, safety.StateStop) // and still not in ice
	h.Add(4.1, lot.Iced{Method: "boxed", PlaceID: 40})
	a := state(19, safety.StateOK)
	if s := h.Fold(t); s.Place() != 40 || *a.Histamine.ToChill.Used < 3.99 || *a.Histamine.ToChill.Used > 4.01 {
		t.Errorf("in place %d, %v h to chilling", s.Place(), *a.Histamine.ToChill.Used)
	}
	near(t, "hours in ice", a.Hours[coldchain.InIce], 14.9, 1e-6)
	if least := (4*3.2*3.2 + 14.9) / 24; a.Used.Days < least || a.Used.Days > least+0.3 {
		t.Errorf("%v ice days: 4 h at the air's 22 °C, then cooling in ice, at least %v", a.Used.Days, least)
	}
	near(t, "sd of a date stamped on deck", a.DeclaredAge.SD, 0.7, 0.35)
	a = state(26, safety.StateUnknown) // nobody looked at the ice for more than fifteen hours
	if len(a.Gaps) != 1 || !a.Gaps[0].From.Equal(at(4.1)) {
		t.Errorf("gaps %v", a.Gaps)
	}
	h.Add(26.1, lot.GapExplained{Until: at(26), Explanation: "Bertil saw ice in the box at 26 h", Approval: lot.Approval{ByManager: true}})
	state(26.2, safety.StateOK)
	h.Add(26.15, lot.Temperature{Celsius: 1})
	h.Add(26.2, lot.Temperature{Celsius: 12})
	h.Add(28.2, lot.Temperature{Celsius: 12})
	h.Add(31.2, lot.Temperature{Celsius: 12})
	a = state(31.2, safety.StateOK) // 5 of 8 h
	near(t, "share", a.Histamine.Share, 5.1/8, 0.02)
	h.Add(31.3, lot.Temperature{Celsius: 22})
	state(31.3, safety.StateStop) // above 21.1 °C: 5 of 4 h
	if s, a := tell(t, h, 31.3); Fitness(s, a)[1].OK {
		t.Error("fit to cook though the clock is over: cooking does not destroy histamine")
	}
	plan, _ := safety.GetPlan("eu2073")
	low := []float64{3, 4, 5, 4, 3, 6, 8, 2, 9}
	tested := lot.Tested{Plan: plan, Results: low, Lab: "Harbour laboratory, 118"}.Derive(nil, lot.Facts{}, at(0))
	h.Add(31.4, tested)
	state(31.4, safety.StateWarn) // let go on its test
	h.Add(31.9, lot.Temperature{Celsius: 12})
	h.Add(32, lot.Temperature{Celsius: 12})
	state(32, safety.StateStop) // and warm again
}

func TestAFailedTestStopsForGood(t *testing.T) {
	h := ownCatch("mackerel")
	h.Add(0.1, lot.Killed{Method: "spike"})
	h.Add(2, lot.Iced{Method: "slurry", PlaceID: 40})
	plan, _ := safety.GetPlan("eu2073")
	failed := lot.Tested{Plan: plan, Results: []float64{3, 4, 5, 4, 3, 6, 8, 2, 210},
		Lab: "Harbour laboratory, 119"}.Derive(nil, lot.Facts{}, at(0)).(lot.Tested)
	if failed.Met {
		t.Fatal("210 mg/kg meets the plan")
	}
	h.Add(3, failed)
	if _, a := tell(t, h, 3); a.Histamine.State != safety.StateStop || !strings.Contains(a.Stops[0], "failed") {
		t.Errorf("%v", a.Stops)
	}
}

// What nobody wrote down: the rule by which it is assumed, and what it costs.
func TestPartialKnowledge(t *testing.T) {
	bought := func(payloads ...lot.Payload) *history {
		h := &history{ID: uuid.New()}
		core, caught := 1.2, at(-20)
		h.Add(0, lot.Received{SpeciesID: "mackerel", Form: "whole", Count: 1, WeightKg: 1, CoreC: &core, Ice: "well_iced",
			PlaceID: 20, SupplierID: 1, LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}})
		for _, p := range payloads {
			when := map[lot.Kind]float64{lot.KindFor[lot.Caught](): -19, lot.KindFor[lot.Killed](): -18, lot.KindFor[lot.Iced](): -16}[lot.KindOf(p)]
			h.Add(when, p)
		}
		return h
	}
	set, before := at(-24), at(-43.5)
	for _, c := range []struct {
		what    string
		h       *history
		death   float64 // hours after t0
		assumed string
		state   safety.State
	}{
		{"the label alone", bought(), -20, "label", safety.StateUnknown},
		{"a full record", bought(lot.Caught{AirC: celsius(10)}, lot.Killed{Method: "stun"}, lot.Iced{Method: "boxed"}), -18, "",
			safety.StateOK},
		{"no temperature of water and air", bought(lot.Killed{Method: "stun"}, lot.Iced{Method: "boxed"}), -18, "",
			safety.StateOK},
		{"no icing", bought(lot.Caught{AirC: celsius(10)}, lot.Killed{Method: "stun"}), -18, "", safety.StateUnknown},
		{"no death: landed on deck", bought(lot.Caught{AirC: celsius(10), Gear: "hook"}, lot.Iced{Method: "boxed"}), -19,
			"landed", safety.StateOK},
		{"no death: a net that was set", bought(lot.Caught{AirC: celsius(10), Gear: "gillnet", GearSetAt: &set},
			lot.Iced{Method: "boxed"}), -24, "gear", safety.StateWarn},
		{"dead in a net that was set", bought(lot.Caught{AirC: celsius(10), Gear: "trawl", GearSetAt: &set}, lot.Killed{Method: "gear"},
			lot.Iced{Method: "boxed"}), -24, "gear", safety.StateWarn},
		{"in cold water", bought(lot.Caught{AirC: celsius(10), WaterC: celsius(18.3), Gear: "longline", GearSetAt: &set},
			lot.Iced{Method: "boxed"}), -19, "left the water", safety.StateOK},
		{"in warmer water", bought(lot.Caught{AirC: celsius(10), WaterC: celsius(18.4), Gear: "longline", GearSetAt: &set},
			lot.Iced{Method: "boxed"}), -24, "gear", safety.StateWarn},
		{"in cold water for too long", bought(lot.Caught{AirC: celsius(10), WaterC: celsius(9), Gear: "longline", GearSetAt: &before},
			lot.Iced{Method: "boxed"}), -43.5, "gear", safety.StateStop},
		{"killed on deck", bought(lot.Caught{AirC: celsius(10), Gear: "longline", GearSetAt: &before}, lot.Killed{Method: "stun"},
			lot.Iced{Method: "boxed"}), -18, "", safety.StateOK},
	} {
		s := c.h.Fold(t)
		a := assessNow(s, env(at(1), map[int64]coldchain.Record{7: everywhere(1)}))
		death, ok := s.Death()
		if !ok || !death.At.Equal(at(c.death)) || !strings.Contains(death.Assumed, c.assumed) ||
			(c.assumed == "") != (death.Assumed == "") {
			t.Errorf("%s: death %v, %q", c.what, death.At, death.Assumed)
		}
		if a.Histamine.State != c.state {
			t.Errorf("%s: %s (%v), want %s", c.what, a.Histamine.State, a.Histamine.Reasons, c.state)
		}
	}
	// Nobody knows when fish died in gear that was set nobody knows when.
	if death, ok := bought(lot.Caught{AirC: celsius(10), Gear: "gillnet"}, lot.Iced{Method: "boxed"}).Fold(t).Death(); ok {
		t.Errorf("dead in a net at %v", death)
	}
	// Ice that had melted when it came in answers for nothing on the way.
	h := bought(lot.Caught{AirC: celsius(10)}, lot.Killed{Method: "stun"}, lot.Iced{Method: "boxed"})
	var r lot.Received
	if err := json.Unmarshal(h.Events[0].Data, &r); err != nil {
		t.Fatal(err)
	}
	r.Ice = "melted"
	h.Events[0].Data, _ = json.Marshal(r)
	if a := assessNow(h.Fold(t), env(at(1), map[int64]coldchain.Record{7: everywhere(
		1)})); a.Histamine.State != safety.StateUnknown {
		t.Errorf("melted ice: %s", a.Histamine.State)
	}
	// Nor does ice that was seen at both ends of a way of four days.
	core := 1.0
	long := &history{ID: uuid.New()}
	long.Add(0, lot.Received{SpeciesID: "mackerel", Form: "whole", Count: 1, WeightKg: 1, CoreC: &core, Ice: "well_iced",
		PlaceID: 20, SupplierID: 1})
	long.Add(-100, lot.Killed{Method: "stun"})
	long.Add(-98, lot.Iced{Method: "boxed"})
	if a := assessNow(long.Fold(t), env(at(1),
		map[int64]coldchain.Record{7: everywhere(1)})); a.Histamine.State != safety.StateUnknown {
		t.Errorf("four days in ice that nobody looked at: %s", a.Histamine.State)
	}
	// Where a core reading and the probe of the place disagree, the warmer counts.
	warm := bought(lot.Caught{AirC: celsius(10)}, lot.Killed{Method: "stun"}, lot.Iced{Method: "boxed"})
	warm.Add(1, lot.Temperature{Celsius: 6})
	warm.Add(4, lot.Temperature{Celsius: 6})
	a := assessNow(warm.Fold(t), env(at(4), map[int64]coldchain.Record{7: everywhere(1)}))
	if used := *a.Histamine.After.Used; used < 3 || used > 4 {
		t.Errorf("three hours at 6 °C in the core, the air at 1 °C: %v h", used)
	}
}

// An explanation answers for what was not recorded, never for what was: hours that
// the core was warm here stand, whether or not anybody knows when it was iced.
func TestAnAccountDoesNotErase(t *testing.T) {
	h := &history{ID: uuid.New()}
	core := 9.0
	h.Add(0, lot.Received{SpeciesID: "mackerel", Form: "whole", Count: 1, WeightKg: 1, CoreC: &core, Ice: "none",
		PlaceID: 10, SupplierID: 1})
	h.Add(3, lot.Temperature{Celsius: 9})
	h.Add(6, lot.Temperature{Celsius: 9})
	h.Add(9, lot.Temperature{Celsius: 9})
	h.Add(9, lot.GapExplained{Until: at(9), Explanation: "it was cold all along, says the driver", Approval: lot.Approval{ByManager: true}})
	if a := assessNow(h.Fold(t), env(at(9), nil)); a.Histamine.State != safety.StateStop || *a.Histamine.After.Used < 8.9 {
		t.Errorf("nine hours at 9 °C: %s (%v)", a.Histamine.State, a.Histamine.Reasons)
	}
}

// Ice that it goes into later is not the ice that it was chilled in.
func TestTheFirstIceChills(t *testing.T) {
	h := ownCatch("mackerel")
	h.Add(0.1, lot.Killed{Method: "spike"})
	h.Add(2, lot.Iced{Method: "slurry", PlaceID: 40})
	h.Add(11, lot.Iced{Method: "boxed", PlaceID: 40})
	if _, a := tell(t, h, 12); a.Histamine.State != safety.StateOK {
		t.Errorf("%s (%v)", a.Histamine.State, a.Histamine.Reasons)
	}
}

func TestBleeding(t *testing.T) {
	for _, c := range []struct {
		what    string
		payload lot.Payload
		at      float64
		word    string
		good    bool
	}{
		{"at once", lot.Bled{How: "gills"}, 0.15, "at once", true}, {"in time", lot.Bled{How: "gills"}, 0.55, "in time", true},
		{"late", lot.Bled{How: "gills"}, 0.8, "late", false}, {"not at all", lot.Bled{How: "none"}, 0.2, "not bled", false},
		{"unknown", nil, 0, "taken as not bled", false},
	} {
		h := ownCatch("cod")
		h.Add(0.1, lot.Killed{Method: "stun"})
		if c.payload != nil {
			h.Add(c.at, c.payload)
		}
		h.Add(1, lot.Iced{Method: "boxed"})
		b := BleedingOf(h.Fold(t))
		if !strings.Contains(b.Word, c.word) || b.Good != c.good || len(b.Predicts) == 0 {
			t.Errorf("%s: %+v", c.what, b)
		}
	}
	if BleedingOf(cod().Fold(t)) != nil {
		t.Error("without a harvest record there is nothing to say")
	}
}

// A stressed cod: warm on deck, then in ice. By the table it stiffens after 1 h
// at 10–12 °C and after 2–8 h at 0 °C.
func TestRigorOfALot(t *testing.T) {
	h := ownCatch("cod")
	h.Add(0, lot.Caught{WaterC: celsius(10), AirC: celsius(11)})
	h.Add(0, lot.Killed{Method: "air"})
	_, a := tell(t, h, 0.5)
	if a.Rigor == nil || a.Rigor.Basis != rigor.Measured || len(a.Bans()) == 0 {
		t.Fatalf("on deck: %+v", a.Rigor)
	}
	h.Add(1, lot.Iced{Method: "boxed", PlaceID: 40})
	s, a := tell(t, h, 12)
	if a.Rigor.Stage != rigor.In {
		t.Errorf("after 12 h: %s", a.Rigor.Stage)
	}
	var works []rigor.Work
	for _, b := range a.Bans() {
		works = append(works, b.Work)
		if !b.From.After(at(12)) || b.MayFrom.After(b.From) {
			t.Errorf("%s from %v, perhaps from %v", b.Work, b.From, b.MayFrom)
		}
	}
	if !slices.Contains(works, rigor.Fillet) || !slices.Contains(works, rigor.Freeze) || !slices.Contains(works,
		rigor.Straighten) {
		t.Errorf("in rigor it forbids %v", works)
	}
	due := DueActions(s, a, ownCatchEnv(at(12), nil)) // cod's own measurements: an appointment
	if !slices.ContainsFunc(due, func(d Action) bool { return d.Do == "Fillet" && d.Due.Equal(a.Rigor.Over()) }) {
		t.Errorf("due: %+v", due)
	}
	if _, a := tell(t, h, 90); a.Rigor.Stage != rigor.Past || len(a.Bans()) != 0 {
		t.Errorf("after 90 h: %s", a.Rigor.Stage)
	}
	if a := assessNow(cod().Fold(t), env(at(1), nil)); a.Rigor != nil {
		t.Error("a date on a label is no time of death to the hour")
	}
}

func TestDueOfOwnCatch(t *testing.T) {
	h := ownCatch("mackerel")
	h.Add(0, lot.Killed{Method: "spike"})
	s, a := tell(t, h, 1)
	due := map[string]time.Time{}
	for _, d := range DueActions(s, a, ownCatchEnv(at(1), nil)) {
		due[d.Do] = d.Due
	}
	if !due["Bleed"].Equal(at(0.5)) || !due["Put on ice"].Equal(at(0.75*9)) {
		t.Errorf("due %v", due)
	}
}

// A part goes on with the harvest record, the accounts and the tests.
func TestAPartCarriesTheHarvest(t *testing.T) {
	h := ownCatch("mackerel")
	h.Add(0.1, lot.Killed{Method: "spike"})
	h.Add(0.3, lot.Bled{How: "gills"})
	h.Add(4.1, lot.Iced{Method: "boxed", PlaceID: 40})
	h.Add(26.1, lot.GapExplained{Until: at(26), Explanation: "Bertil saw ice in the box", Approval: lot.Approval{ByManager: true}})
	parent := h.Fold(t)
	child := &history{ID: uuid.New()}
	child.Add(27, lot.Inherit(parent, parent.Head, lot.SplitLot{LotID: child.ID, Code: lot.Code(9), Count: 3, WeightKg: 1.5}, nil))
	s := child.Fold(t)
	for _, hours := range []float64{27, 30} {
		want, got := assessNow(parent, ownCatchEnv(at(hours), nil)), assessNow(s, ownCatchEnv(at(hours), nil))
		near(t, "share", got.Histamine.Share, want.Histamine.Share, 1e-9)
		near(t, "used", got.Used.Days, want.Used.Days, 1e-9)
		near(t, "rigor", float64(got.Rigor.Over().Sub(want.Rigor.Over())), 0, 1)
		if got.Histamine.State != want.Histamine.State || got.Bleeding.Word != want.Bleeding.Word {
			t.Errorf("the part's clock says %s, its parent's %s", got.Histamine.State, want.Histamine.State)
		}
	}
}

func TestHarvestChecks(t *testing.T) {
	before := func() *lot.State {
		h := ownCatch("mackerel")
		h.Add(0.5, lot.Killed{Method: "spike"})
		h.Add(1, lot.Bled{How: "gills"})
		return h.Fold(t)
	}()
	plan, _ := safety.GetPlan("eu2073")
	early, late := at(-400), at(9)
	for _, c := range []struct {
		what  string
		hours float64
		p     lot.Payload
		field string
	}{
		{"bled long before death", 0.1, lot.Bled{How: "gills"}, "happened_at"},
		{"killed after the bleeding", 1.5, lot.Killed{Method: "spike"}, "happened_at"},
		{"an unknown way to die", 0.5, lot.Killed{Method: "fright"}, "method"},
		{"no area of the FAO", 0, lot.Caught{FAO: 99}, "fao_area"},
		{"water of 300 °C", 0, lot.Caught{WaterC: celsius(300)}, "water_celsius"},
		{"a net set two weeks before", 0, lot.Caught{Gear: "gillnet", GearSetAt: &early}, "gear_set_at"},
		{"bled for eight hours", 1, lot.Bled{How: "gills", Until: &late}, "until"},
		{"no way of icing", 2, lot.Iced{Method: "shade"}, "way"},
		{"into our box before it was here", -3, lot.Iced{Method: "boxed", PlaceID: 40}, "place_id"},
		{"an account by nobody in charge", 2, lot.GapExplained{Until: at(2), Explanation: "it was in ice all along"},
			"lot"},
		{"an account of the future", 2, lot.GapExplained{Until: at(6), Explanation: "it was in ice all along",
			Approval: lot.Approval{ByManager: true}}, "until"},
		{"an account without words", 2, lot.GapExplained{Until: at(2), Explanation: "ok", Approval: lot.Approval{ByManager: true}}, "account"},
		{"warm hours without a temperature", 2, lot.GapExplained{Until: at(2), Explanation: "it stood in the sun",
			WarmHours: 2, Approval: lot.Approval{ByManager: true}}, "warmest_celsius"},
		{"a test with too few results", 2, lot.Tested{Plan: plan, Results: []float64{1}, Lab: "Harbour laboratory",
			Approval: lot.Approval{ByManager: true}}, "results"},
	} {
		e := lot.Event{ID: uuid.New(), LotID: before.ID, Kind: lot.KindOf(c.p), HappenedAt: at(c.hours)}
		err := check(before, e, c.p, at(5))
		var bad invalid.Errors
		if !errors.As(err, &bad) || bad.On(c.field) == "" {
			t.Errorf("%s: %v, want an error on %s", c.what, err, c.field)
		}
	}
	e := lot.Event{ID: uuid.New(), LotID: before.ID, Kind: lot.KindFor[lot.Iced](), HappenedAt: at(2)}
	if err := check(before, e, lot.Iced{Method: "boxed", PlaceID: 40}, at(5)); err != nil {
		t.Errorf("a good icing: %v", err)
	}
}

// What was seen at the receipt covers the time on the dock: in its ice for fifteen hours, or frozen
// hard; without ice, or after that, the fish is out of the cold from the first minute.
func TestTheDockIsCoveredByWhatWasSeen(t *testing.T) {
	for _, c := range []struct {
		what   string
		ice    string
		frozen bool
		core   float64
		hours  float64
		want   safety.State
	}{
		{"in ice, half an hour", "well_iced", false, 1, 0.5, safety.StateOK},
		{"in ice, three hours", "well_iced", false, 1, 3, safety.StateOK},
		{"in ice, sixteen hours", "well_iced", false, 1, 16, safety.StateStop},
		{"without ice, half an hour", "none", false, 1, 0.5, safety.StateOK},
		{"without ice, seven hours", "none", false, 1, 7, safety.StateWarn},
		{"frozen hard, half an hour", "none", true, -20, 0.5, safety.StateOK},
		{"frozen, and warm already", "none", true, -4, 0.5, safety.StateOK},
	} {
		h := &history{ID: uuid.New()}
		h.Add(0, lot.Received{SpeciesID: "mackerel", Form: "whole", Frozen: c.frozen, Count: 1, WeightKg: 1,
			CoreC: &c.core, Ice: c.ice, PlaceID: 10, SupplierID: 1})
		h.Add(0, lot.GapExplained{Until: at(0), Explanation: "iced on board within the hour", Approval: lot.Approval{ByManager: true}})
		if a := assessNow(h.Fold(t), env(at(c.hours), nil)); a.Histamine.State != c.want {
			t.Errorf("%s: %s (%v), want %s", c.what, a.Histamine.State, a.Histamine.Reasons, c.want)
		}
	}
}
