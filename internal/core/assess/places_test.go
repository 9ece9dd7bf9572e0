package assess

import (
	"errors"
	"math"
	"slices"
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
)

// sensed is a probe that measures every five minutes what c says of the hour.
func sensed(hours float64, c func(h float64) float64) coldchain.Record {
	var readings []coldchain.Reading
	for h := 0.0; h <= hours; h += 1.0 / 12 {
		readings = append(readings, coldchain.Reading{At: at(h), Celsius: c(h)})
	}
	return coldchain.Series{Readings: readings, MaxGap: 15 * time.Minute, Hold: 15 * time.Minute}
}

// inAir is env with a walk-in whose probe 7 measures the air: each five minutes
// the temperature that c says of the hour.
func inAir(hours float64, c func(h float64) float64) Env {
	e := env(at(hours), map[int64]coldchain.Record{7: sensed(hours, c)})
	walkIn := e.Places[20]
	walkIn.Air = true
	e.Places[20] = walkIn
	return e
}

func during(from, to, in, out float64) func(float64) float64 {
	return func(h float64) float64 {
		if h >= from && h < to {
			return in
		}
		return out
	}
}

// A box of fish does not follow a door: the clocks take the fish. An hour of it they see.
func TestFishFollowsTheAirWithItsThermalMass(t *testing.T) {
	h := mackerelReceived()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	a := assessNow(h.Fold(t), inAir(24, during(6, 6.25, 9, 1)))
	still := assessNow(h.Fold(t), inAir(24, during(6, 6, 1, 1)))
	asAir := 0.25 / 24 * (1.9*1.9 - 1.1*1.1)
	if more := a.Used.Days - still.Used.Days; more <= 0 || more > 1.3*asAir {
		t.Errorf("a quarter of an hour at 9 °C cost %.4f ice days, the air alone would say %.4f", more, asAir)
	}
	if hours := *a.Histamine.After.Used - *still.Histamine.After.Used; hours != 0 {
		t.Errorf("a door: %.2f h on the histamine clock", hours)
	}
	open := assessNow(h.Fold(t), inAir(24, during(6, 7.5, 9, 1)))
	if hours := *open.Histamine.After.Used; hours < 0.5 || hours > 3 {
		t.Errorf("an hour and a half at 9 °C: %.2f h on the histamine clock", hours)
	}
	if !slices.ContainsFunc(a.Notes, func(n string) bool { return strings.Contains(n, "time constant") }) {
		t.Errorf("the notes do not say so: %v", a.Notes)
	}
}

// Warm fish in a cold place is not cold yet: the clock that stops counts the
// fish, not the air.
func TestWarmFishInAColdPlaceIsNotColdYet(t *testing.T) {
	h := mackerelReceived()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	h.Add(1, lot.Temperature{Celsius: 12})
	a := assessNow(h.Fold(t), inAir(12, during(0, 0, 1, 1)))
	tau := TimeConstant(h.Fold(t), 20).Hours()
	want := tau * math.Log((12-1)/(4.4-1))
	if used := *a.Histamine.After.Used; used < 1+want || used > 1+2*want { // since the receipt it was as warm, and cools no faster
		t.Errorf("%.2f h above 4.4 °C, want an hour, and %.2f h or more while it cools by its time constant of %.2f h", used, want, tau)
	}
	if a.NowC > 1.1 {
		t.Errorf("%.2f °C after twelve hours", a.NowC)
	}
}

// mackerelReceived begins a history of which all is known: killed, bled, iced.
func mackerelReceived() *history {
	core, caught := 1.0, at(-5)
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(3), SpeciesID: "mackerel", Form: "whole", Count: 10,
		WeightKg: 4, CoreC: &core, Ice: "well_iced",
		LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1, PlaceID: 10})
	h.Add(-5, lot.Caught{Gear: "hook", WaterC: celsius(9), AirC: celsius(10)})
	h.Add(-5, lot.Killed{Method: "stun"})
	h.Add(-4.5, lot.Iced{Method: "boxed"})
	return h
}

// A probe measures a place only while it is there.
func TestAProbeCountsWhileItMeasuresThePlace(t *testing.T) {
	h := cod()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	e := inAir(24, during(0, 0, 1, 6))
	walkIn := e.Places[20]
	walkIn.Air = false
	walkIn.Probes = []lot.ProbeStay{{ProbeID: 7, Span: coldchain.Span{From: at(-100), To: at(12)}}}
	e.Places[20] = walkIn
	a := assessNow(h.Fold(t), e)
	near(t, "hours logged", a.Hours[coldchain.Logged], 12, 0.51) // and half an hour for which its last reading answers
	for _, ask := range ProbeSpans(h.Fold(t), e.Places, at(24)) {
		if ask.To.After(at(12)) {
			t.Errorf("asks for %v, when the probe was elsewhere", ask)
		}
	}
}

// What a probe read that failed its check is no proof of cold; where it read warm, that counts; where
// another one measured, that answers.
func TestADistrustedProbe(t *testing.T) {
	h := cod()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	s := h.Fold(t)
	state := func(e Env, distrusted ...coldchain.Span) Reading {
		e.Distrusted = map[int64][]coldchain.Span{7: distrusted}
		a := assessNow(s, e)
		i := slices.IndexFunc(a.Clocks, func(r Reading) bool { return r.ID == ClockOutOfCold })
		return a.Clocks[i]
	}
	half := coldchain.Span{From: at(6), To: at(18)}
	cold, warm := inAir(24, during(0, 0, 1, 1)), inAir(24, during(8, 16, 12, 1))
	if r := state(cold); r.State != safety.StateOK {
		t.Errorf("trusted: %+v", r)
	}
	if r := state(cold, half); r.State != safety.StateUnknown {
		t.Errorf("cold, distrusted: %+v", r)
	}
	if r := state(warm, half); r.State != safety.StateStop {
		t.Errorf("warm, distrusted: %+v", r)
	}
	if r := state(cold, coldchain.Span{From: at(-30), To: at(-20)}); r.State != safety.StateOK {
		t.Errorf("distrusted before the fish came: %+v", r)
	}
	for what, e := range map[string]Env{"cold": cold, "warm": warm} {
		walkIn := e.Places[20]
		walkIn.Probes = append(slices.Clone(walkIn.Probes), lot.ProbeStay{ProbeID: 8, Span: always, Name: "the other"})
		e.Places[20] = walkIn
		one, other := e.Probe, inAir(24, during(0, 0, 1, 1)).Probe
		e.Probe = func(id int64) coldchain.Record {
			if id == 8 {
				return other(7)
			}
			return one(id)
		}
		if r := state(e, half); r.State != safety.StateOK {
			t.Errorf("%s, distrusted where another measured: %+v", what, r)
		}
	}
}

func TestPlaceRulesByProfile(t *testing.T) {
	strict, code := profileOf(t, "house-strict"), profileOf(t, "model-code")
	walkIn, freezer := lot.Place{Kind: "walk_in", Air: true}, lot.Place{Kind: "freezer", Air: true}
	for _, c := range []struct {
		name  string
		place lot.Place
		p     safety.Profile
		in    lot.Contents
		warm  float64
	}{
		{"strict", walkIn, strict, lot.Contents{}, 2}, {"model code", walkIn, code, lot.Contents{}, 5},
		{"with formers in it", walkIn, code, lot.Contents{Formers: true}, 4.4},
		{"with packs without oxygen", walkIn, code, lot.Contents{Formers: true, Packed: true}, 3.3},
		{"its own, stricter", lot.Place{Kind: "walk_in", WarmC: celsius(3)}, code, lot.Contents{Packed: true}, 3},
		{"its own, milder", lot.Place{Kind: "walk_in", WarmC: celsius(8)}, code, lot.Contents{}, 5},
		{"freezer", freezer, strict, lot.Contents{Formers: true, Packed: true}, -20},
	} {
		if r := c.place.Rules(c.p, c.in, 0); r.WarmC != c.warm {
			t.Errorf("%s: %v °C, want %v", c.name, r.WarmC, c.warm)
		}
	}
	if r := (lot.Place{Kind: "dock"}).Rules(strict, lot.Contents{Formers: true}, 0); !math.IsNaN(r.WarmC) ||
		!math.IsNaN(r.FreezingC) {
		t.Errorf("a dock has no limit: %+v", r)
	}
	if r := freezer.Rules(strict, lot.Contents{}, 0); !math.IsNaN(r.FreezingC) {
		t.Errorf("a freezer may freeze: %+v", r)
	}
	for _, p := range safety.Profiles() { // Failed counts the hours above them by the roll-up
		for _, limit := range []float64{p.ChilledMaxC, p.HistamineMaxC} {
			if !slices.Contains(coldchain.Limits[:], limit) {
				t.Errorf("%s: the roll-up does not count the time above %v °C", p.Name, limit)
			}
		}
	}
}

func profileOf(t *testing.T, id string) safety.Profile {
	t.Helper()
	p, ok := safety.GetProfile(id)
	if !ok {
		t.Fatalf("no profile %s", id)
	}
	return p
}

func TestRawFishIsNotKeptAboveReadyFood(t *testing.T) {
	all := map[int64]lot.Place{1: {ID: 1, Kind: "drawer", Holds: lot.HoldsRaw, Column: 3, Level: 2},
		2: {ID: 2, Name: "salads", Kind: "drawer", Holds: lot.HoldsReady, Column: 3, Level: 0},
		3: {ID: 3, Kind: "drawer", Holds: lot.HoldsRaw, Column: 3, Level: -1},
		4: {ID: 4, Kind: "drawer", Holds: lot.HoldsRaw, Column: 4, Level: 2},
		5: {ID: 5, Kind: "freezer", Holds: lot.HoldsRaw, Column: 3, Level: 3}}
	for id, want := range map[int64]bool{1: true, 2: false, 3: false, 4: false, 5: false} {
		below, over := all[id].Over(all)
		if over != want || over && below.ID != 2 {
			t.Errorf("place %d: %v over %d, want %v", id, over, below.ID, want)
		}
	}
}

// The failed night: what each lot lost, by hand where it can be.
func TestWhatAFailureCost(t *testing.T) {
	night := coldchain.Span{From: at(10), To: at(14)}
	e := inAir(20, during(10, 14, 11, 1))
	codd := cod()
	codd.Add(0.01, lot.Moved{PlaceID: 20})
	loss, ok := AssessFailure(codd.Fold(t), e, 20, night)
	if !ok || loss.Outcome != lot.OutcomeStopped || loss.OverHours < 2 { // strict: at most 4 h out of the cold
		t.Fatalf("cod in four hours at 11 °C: %+v", loss)
	}
	tau := newAssessor(codd.Fold(t), e, e.Now).paceIn(codd.Fold(t).Piece(), (heat.Boundary{SpeedMS: heat.FanMS}).Of(heat.Cylinder, codd.Fold(t).Piece().ThicknessMM/1000, 1)).warm.Hours()
	near(t, "warmest", loss.WarmestC, 11-10*math.Exp(-4/tau), 0.3)
	near(t, "air", loss.AirC, 11, 1e-9)
	near(t, "what is left", loss.Before-loss.Left, assessNow(codd.Fold(t), e).Used.Days-usedAt(codd.Fold(t), e, 10), 1e-6)
	if loss.LostDays <= 0 || loss.LostDays > 4.0/24*(2.1*2.1) {
		t.Errorf("lost %.3f ice days", loss.LostDays)
	}
	e = inAir(20, during(10, 12, 11, 1))
	e.Profile = profileOf(t, "model-code") // 5 °C, four hours
	night.To = at(12)
	if loss, _ = AssessFailure(codd.Fold(t), e, 20, night); loss.Outcome != lot.OutcomeFine || len(loss.Reasons) != 1 {
		t.Errorf("by the model code: %s, %v", loss.Outcome, loss.Reasons)
	}
	former := mackerelReceived()
	former.Add(0.01, lot.Moved{PlaceID: 20})
	e = inAir(24, during(10, 19, 11, 1))
	if loss, _ = AssessFailure(former.Fold(t), e, 20,
		coldchain.Span{From: at(10), To: at(19)}); loss.Outcome != lot.OutcomeStopped {
		t.Errorf("a mackerel for nine hours at 11 °C: %s, %v", loss.Outcome, loss.Reasons)
	}
	gone := cod()
	gone.Add(0.01, lot.Moved{PlaceID: 20})
	gone.Add(5, lot.Moved{PlaceID: 10})
	if _, ok := AssessFailure(gone.Fold(t), e, 20, night); ok {
		t.Error("it was not there any more")
	}
}

func usedAt(s *lot.State, e Env, hours float64) float64 {
	e.Now = at(hours)
	return assessNow(s, e).Used.Days
}

func TestPacksWithoutOxygen(t *testing.T) {
	arrived := func(indicator bool) *history {
		core, caught := 2.0, at(-24)
		h := &history{ID: uuid.New()}
		h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(4), SpeciesID: "salmon", Form: "fillet_skin_on",
			Count: 6, WeightKg: 6, CoreC: &core, Ice: "none",
			LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1, PlaceID: 20,
			Packing: &lot.Packing{Pack: lot.PackVacuum}, Indicator: indicator})
		return h
	}
	e := inAir(48, during(0, 0, 1, 4))
	if a := assessNow(arrived(false).Fold(t), e); a.Oxygen == nil || a.Oxygen.State != safety.StateUnknown ||
		len(a.Stops) == 0 {
		t.Errorf("without a record or an indicator: %+v", a.Oxygen)
	}
	h := arrived(true)
	a := assessNow(h.Fold(t), e)
	near(t, "two days at 4 °C, of seven", a.Oxygen.Share, 48.0/168, 0.01)
	h.Add(24, lot.Packed{Packing: lot.Packing{Pack: lot.PackAir}})
	a = assessNow(h.Fold(t), e)
	near(t, "opened after one: what grew is there", a.Oxygen.Share, 24.0/168, 0.01)
	if a.Oxygen.State != safety.StateOK || coverBy(h.Fold(t)) != at(48) {
		t.Errorf("%s; to be covered %s", a.Oxygen.Text(), coverBy(h.Fold(t)))
	}

	breathes, tight := 10_000.0, 9_999.0
	for _, c := range []struct {
		p    lot.Packing
		want bool
	}{{lot.Packing{Pack: lot.PackFilm, OTR: &breathes}, false}, {lot.Packing{Pack: lot.PackFilm, OTR: &tight}, true},
		{lot.Packing{Pack: lot.PackFilm}, true},
		{lot.Packing{Pack: lot.PackFilm, OTR: &breathes, Tight: true}, true}, {lot.Packing{Pack: lot.PackAir}, false},
		{lot.Packing{Pack: lot.PackIce}, false}, {lot.Packing{Pack: lot.PackVacuum}, true}} {
		if c.p.Reduced() != c.want {
			t.Errorf("%+v: reduced %v", c.p, c.p.Reduced())
		}
	}
	fresh := cod().Fold(t)
	pack := func(profile string, p lot.Packing) error {
		e := env(at(1), nil)
		e.Profile = profileOf(t, profile)
		return admit(fresh, e, 1, lot.Packed{Packing: p})
	}
	if pack("house-strict", lot.Packing{Pack: lot.PackVacuum}) == nil {
		t.Error("raw fish may be packed without oxygen to be kept chilled")
	}
	if err := pack("model-code", lot.Packing{Pack: lot.PackFilm, OTR: &breathes}); err != nil {
		t.Errorf("film that breathes: %v", err)
	}
	fresh.Received.Frozen = true
	fresh.FrozenStays = append(fresh.FrozenStays, lot.FrozenStay{From: fresh.Start()})
	if err := pack("model-code", lot.Packing{Pack: lot.PackVacuum}); err != nil {
		t.Errorf("frozen fish: %v", err)
	}
}

// What a move buys: with the fish at the temperature of its place already, a
// life divided by the rate there.
func TestWhatAMoveBuys(t *testing.T) {
	h := cod()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	s := h.Fold(t)
	a := assessNow(s, inAir(48, during(0, 0, 1, 4)))
	near(t, "now", a.NowC, 4, 0.01)
	room := 2.0
	options := append([]Option{{Name: "here", Celsius: a.NowC, Boundary: heat.Boundary{H: 20}, Cold: true},
		{Name: "colder", Celsius: 0, Boundary: heat.Boundary{H: 20}, Cold: true}, {Name: "full", Celsius: 0, Boundary: heat.Boundary{H: 20}, Cold: true, RoomKg: &room},
		{Name: "warm", Celsius: 9, Boundary: heat.Boundary{H: 20}, Cold: true},
		{Name: "freezer", Celsius: -22, Boundary: heat.Boundary{H: 20}, Frozen: true, Cold: true}, {Name: "dock", Celsius: 0, Boundary: heat.Boundary{H: 8}}}, InIce()...)
	out := a.WhatIf(at(72), options)
	near(t, "here", out[0].RealDays, a.Left.Days/1.96, 0.01)
	near(t, "left tomorrow", out[0].AtService, a.Left.Days-1.96, 0.01)
	tau := TimeConstant(s, 20).Hours() / 24
	// ∫ (1 + 0.4·e^(−t/τ))² dt = t + 0.8·τ + 0.08·τ, once it has cooled; τ at the unfavourable end: a
	// coefficient a quarter smaller, flesh 15 % thicker
	if spent := a.Left.Days - out[1].RealDays; spent < 0.88*tau || spent > 0.88*tau*1.15*1.15/0.75+0.02 {
		t.Errorf("cooling cost %.3f fresh days, time constant %.3f days", spent, tau)
	}
	if !out[1].Fits || out[2].Fits || out[3].Fits || !strings.Contains(out[2].Against[0], "full") {
		t.Errorf("%v %v %v", out[1].Against, out[2].Against, out[3].Against)
	}
	if !math.IsInf(out[4].RealDays, 1) || out[4].Fits != (a.Used.Days <= a.Shelf/2) {
		t.Errorf("freezer: %+v", out[4])
	}
	if out[5].Fits || out[7].RealDays < out[1].RealDays {
		t.Errorf("dock %v; in slurry %.3f days, in cold air %.3f", out[5].Against, out[7].RealDays, out[1].RealDays)
	}
	// house strict: cooked within an hour once it was two above 4 °C, which this fish is already
	if got := out[3].StopsAt.Sub(at(48)).Hours(); !(got > 2.5 && got < 3.2) {
		t.Errorf("at 9 °C it stops after %.2f h", got)
	}

	m := mackerelReceived()
	m.Add(0.01, lot.Moved{PlaceID: 20})
	e := inAir(4, during(0, 0, 1, 1))
	e.Profile = profileOf(t, "model-code")
	am := assessNow(m.Fold(t), e)
	warm := am.WhatIf(at(10), []Option{{Name: "bench", Celsius: 15, Boundary: heat.Boundary{H: 8}}, {Name: "cold", Celsius: 1, Boundary: heat.Boundary{H: 20}, Cold: true}})
	tauAir := TimeConstant(m.Fold(t), 8).Hours()
	warming := tauAir * math.Log((15-am.NowC)/(15-5)) // until the fish is at 5 °C, at the latest
	if got := warm[0].StopsAt.Sub(at(4)).Hours(); got < 5 || got > 5+warming {
		t.Errorf("on the bench it stops after %.2f h, want the 4 h above 5 °C and the one to cook it, and %.2f h at most to warm", got, warming)
	}
	if !warm[1].StopsAt.IsZero() || warm[1].Budget != am.Histamine.LargestShare() {
		t.Errorf("in the cold: %+v", warm[1])
	}
	cook := slices.IndexFunc(warm[0].Uses, func(u Use) bool { return u.ID == string(lot.GateCook) })
	if warm[0].Uses[cook].OK || !warm[1].Uses[cook].OK {
		t.Errorf("cooked at 10 h: from the bench %+v, from the cold %+v", warm[0].Uses[cook], warm[1].Uses[cook])
	}
}

// What was forecast comes true where the fish lies as it was planned: the clocks read ahead are those
// that are read then.
func TestAForecastComesTrue(t *testing.T) {
	for _, c := range []struct {
		what string
		then float64
	}{{"the same", 1}, {"warmer", 7}, {"warm", 18}} {
		m := mackerelReceived()
		m.Add(0.01, lot.Moved{PlaceID: 20})
		s := m.Fold(t)
		now := assessNow(s, inAir(10, during(0, 0, 1, 1)))
		place := now.env.Places[20]
		forecast := now.Ahead(at(70), Planned{From: at(10), Celsius: c.then, Boundary: place.Boundary()})
		for h := 11.0; h < 60; h += 7 {
			e := inAir(h, during(10, 1e5, c.then, 1))
			came, ahead := assessNow(s, e), forecast.At(at(h))
			for i, r := range came.Clocks {
				f := ahead.Clocks[i]
				if r.State != f.State && math.Abs(r.Share-1) > 0.05 || math.Abs(r.Share-f.Share) > 0.02+0.02*r.Share {
					t.Errorf("%s, after %.0f h: %s %s %.3f, forecast %s %.3f", c.what, h, r.ID, r.State, r.Share, f.State, f.Share)
				}
			}
			near(t, c.what+": fresh days left", ahead.Left.Days, came.Left.Days, 0.05)
		}
	}
}

// A defrosting is no failure: until the next reading the fish follows the air as it did before, and what is
// ahead is as the last day was. Air that stays warm is.
func TestADefrostingIsNoFailure(t *testing.T) {
	h := cod()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	s := h.Fold(t)
	for _, c := range []struct {
		hours    float64
		from, to float64 // of the fish now and ahead
	}{{0.25, 1, 3}, {3, 4, 8}} {
		air := inAir(20, during(20-c.hours, 30, 8, 1))
		air.Now = at(20.2) // the last reading was twelve minutes ago
		a := assessNow(s, air)
		ahead := a.Ahead(at(30)).At(at(30)).NowC
		if min(a.NowC, ahead) < c.from || max(a.NowC, ahead) > c.to {
			t.Errorf("the air at 8 °C for %.2f h: the fish at %.1f °C, ahead %.1f °C", c.hours, a.NowC, ahead)
		}
	}
}

// A plan of several places: each from its hour on, and none before the first.
func TestAPlanOfPlaces(t *testing.T) {
	h := cod()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	a := assessNow(h.Fold(t), inAir(10, during(0, 0, 1, 1)))
	plan := []Planned{{From: at(20), Name: "bench", Celsius: 12, Boundary: heat.Boundary{H: 20}}, {From: at(21), Name: "drawer", Celsius: 0, Boundary: heat.Boundary{H: 20}}}
	outOf := func(hour float64, plan ...Planned) float64 {
		return a.Ahead(at(60), plan...).At(at(hour)).OutOfCold.Hours
	}
	if before, after := outOf(20, plan...), outOf(60, plan...); before != 0 || after < 0.5 || after > 3 {
		t.Errorf("%.2f h out of the cold before the bench, %.2f h after it", before, after)
	}
	if kept := outOf(60, plan[:1]...); kept < 38 {
		t.Errorf("%.2f h where it stays on the bench", kept)
	}
	if got := a.Ahead(at(60)).At(at(60)).NowC; math.Abs(got-1) > 0.05 {
		t.Errorf("%.2f °C as it lies, want 1", got)
	}
}

// everywhere is a probe that measures one temperature at all times.
func everywhere(c float64) coldchain.Record {
	if kept, ok := evenly[c]; ok {
		return kept
	}
	var readings []coldchain.Reading
	for h := -200.0; h <= 1200; h += 0.25 {
		readings = append(readings, coldchain.Reading{At: at(h), Celsius: c})
	}
	evenly[c] = coldchain.Series{Readings: readings, MaxGap: 30 * time.Minute}
	return evenly[c]
}

var evenly = map[float64]coldchain.Record{}

// A core that was cancelled leaves a hole, up to the records beside it, unless the air was logged; only
// a manager cancels one.
func TestACancelledReadingLeavesAHole(t *testing.T) {
	for _, c := range []struct {
		logged, cancelled bool
		unknown           float64
	}{{false, false, 0}, {false, true, 4}, {true, true, 0}} {
		h := cod()
		h.Add(0.01, lot.Moved{PlaceID: 20})
		h.Add(1, lot.Temperature{Celsius: 1})
		warm := h.Add(3, lot.Temperature{Celsius: 1.2})
		h.Add(5, lot.Temperature{Celsius: 1})
		if c.cancelled {
			h.Add(5.1, lot.Voided{EventID: warm.ID, Reason: "another box"})
		}
		e := env(at(5.5), nil)
		if c.logged {
			e = inAir(5.5, steady(1))
		}
		_, unknown := assessNow(h.Fold(t), e).Line.Over(coldchain.Span{From: at(1), To: at(5)})
		near(t, "hours that nobody knows", coldchain.Total(unknown).Hours(), c.unknown, 1e-6)
	}
	h := cod()
	warm := h.Add(3, lot.Temperature{Celsius: 12})
	err := check(h.Fold(t), lot.Event{ID: uuid.New(), HappenedAt: at(4)}, lot.Voided{EventID: warm.ID, Reason: "another box"}, at(9))
	var bad invalid.Errors
	if errors.As(err, &bad); !bad.OnlyManager() {
		t.Errorf("a reading cancelled by anybody: %v", err)
	}
}

// Between the two ends of a move fish lies in a room, from the first minute.
func TestTheTwoEndsOfAMove(t *testing.T) {
	left := at(2)
	h := cod()
	h.Add(0.01, lot.Moved{PlaceID: 20})
	atOnce := assessNow(h.Fold(t), inAir(6, during(0, 0, 1, 1))).OutOfCold.Hours
	h.Add(3.5, lot.Moved{PlaceID: 10, LeftAt: &left})
	a := assessNow(h.Fold(t), inAir(3.5, during(0, 0, 1, 1)))
	if atOnce != 0 || a.OutOfCold.Hours < 1 || a.OutOfCold.Hours > 1.5 {
		t.Errorf("%.2f h out of the cold for 90 min on the way, %.2f h without", a.OutOfCold.Hours, atOnce)
	}
	if p, _ := a.Line.At(at(3)); p.Grade != GradeExposed {
		t.Errorf("on the way it is %+v", p)
	}
	for hours, wrong := range map[float64]bool{3: false, 5: true, -1: true, -24: true} {
		left := at(hours)
		h := cod()
		h.Add(2, lot.Moved{PlaceID: 20})
		err := check(h.Fold(t), lot.Event{ID: uuid.New(), HappenedAt: at(4)}, lot.Moved{PlaceID: 10, LeftAt: &left}, at(9))
		var bad invalid.Errors
		if errors.As(err, &bad); (bad.On("left_at") != "") != wrong {
			t.Errorf("left at %v h, came at 4 h: %v", hours, err)
		}
	}
}

// A place that is not cooled is no place to stay: ice answers for its hours and no longer, a
// thermometer in the hand for none, and a plan that takes the fish away ends it.
func TestAheadOnADock(t *testing.T) {
	profile := profileOf(t, "house-strict")
	outOf := func(ice string, hour float64, plan ...Planned) float64 {
		h := cod()
		s := h.Fold(t)
		s.Received.Ice = ice
		a := Assess(s, env(at(0.5), nil), at(0.5))
		return a.Ahead(at(40), plan...).At(at(hour)).OutOfCold.Hours
	}
	iced := profile.Grades.IcedHours
	if got := outOf("well_iced", iced); got > 0.1 {
		t.Errorf("in ice on the dock: %.2f h out of the cold", got)
	}
	if got := outOf("well_iced", iced+6); got < 5 || got > 6.1 {
		t.Errorf("six hours after the ice ran out of its hours: %.2f h", got)
	}
	bare := outOf("none", 10)
	if bare < 9 {
		t.Errorf("without ice: %.2f h out of the cold in ten", bare)
	}
	if got := outOf("well_iced", 30, Planned{From: at(1), Celsius: 12, Boundary: heat.Boundary{H: 20}}); got < 27 {
		t.Errorf("taken out of the ice after an hour: %.2f h", got)
	}
	if got := outOf("none", 40, Planned{From: at(1), Celsius: 0, Boundary: heat.Boundary{H: 500}}); got > bare/3 {
		t.Errorf("iced after an hour: %.2f h", got)
	}
}
