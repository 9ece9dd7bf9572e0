package remark

import (
	"math"
	"testing"
)

func is[T any](v T) *T { return &v }

// fresh is fish with a record that speaks against every cause.
func fresh() Facts {
	return Facts{Bled: is(true), BledMinutes: is(3.0), IceHours: is(0.5), GuttedHours: is(1.0), OlderBy: is(0.0), Spent: is(0.3),
		WarmHours: is(0.1),
		Policies:  map[string]string{"bloodline": "out", "membrane": "off", "belly_flap": "trimmed", "pin_bones": "pulled", "ribs": "over"},
		Boneless:  is(true), CutStiff: is(false), PieceG: is(150.0), CookedC: is(52.0)}
}

func frozen() Facts {
	f := fresh()
	f.WasFrozen, f.FreezeHours, f.FrozenSpent, f.DripShare, f.ThawMediumC, f.ThawedHours = true, is(1.5), is(0.2), is(0.01), is(1.0), is(8.0)
	return f
}

// Twenty plates that came back, each with what went wrong with its fish: written by hand from what the trade says of each (common
// practice, no source;
// bleeding and ice [FAO348], quick freezing [Torry27]).
func TestTwentyCases(t *testing.T) {
	with := func(f Facts, change func(*Facts)) Facts {
		change(&f)
		return f
	}
	for _, c := range []struct {
		name string
		word Word
		want string
		of   Facts
	}{
		{"bled an hour after its death", Strong, "unbled", with(fresh(), func(f *Facts) { f.BledMinutes = is(60.0) })},
		{"never bled", Blood, "unbled", with(fresh(), func(f *Facts) { f.Bled, f.BledMinutes = is(false), nil })},
		{"seven hours on deck", Fishy, "late-ice", with(fresh(), func(f *Facts) { f.IceHours = is(7.0) })},
		{"guts in for a day", Soggy, "guts", with(fresh(), func(f *Facts) { f.GuttedHours = is(24.0) })},
		{"three days older than its papers", Fishy, "papers", with(fresh(), func(f *Facts) { f.OlderBy = is(3.0) })},
		{"the last day of its life", Fishy, "old", with(fresh(), func(f *Facts) { f.Spent = is(0.95) })},
		{"a skate of half its life", Strong, "ammonia", with(fresh(), func(f *Facts) { f.SharkOrRay, f.Spent = true, is(0.5) })},
		{"three hours on the pass", Sour, "warm", with(fresh(), func(f *Facts) { f.WarmHours = is(3.0) })},
		{"lay in melt water", Soggy, "melt", with(fresh(), func(f *Facts) { f.MeltWater = is(true) })},
		{"eight hours from 0 to -5", Dry, "slow-freezing", with(frozen(), func(f *Facts) { f.FreezeHours, f.CookedC = is(8.0), is(50.0) })},
		{"a mackerel frozen beyond its life", Strong, "rancid", with(frozen(), func(f *Facts) { f.Oily, f.FrozenSpent = true, is(1.2) })},
		{"seven in a hundred dripped out", Dry, "drip", with(frozen(), func(f *Facts) { f.DripShare = is(0.07) })},
		{"put back half thawed", Soggy, "refrozen", with(frozen(), func(f *Facts) { f.Refrozen = true })},
		{"cooked with ice in it", ColdCore, "half-thawed", with(frozen(), func(f *Facts) { f.ThawedHours, f.CookedC = is(-0.5), is(56.0) })},
		{"bloodline left in a mackerel", Fishy, "bloodline", with(fresh(), func(f *Facts) { f.Oily, f.Policies["bloodline"] = true, "left" })},
		{"nobody felt for bones", Bone, "pin-bones", with(fresh(), func(f *Facts) { f.Boneless = is(false) })},
		{"filleted in rigor", Tough, "stiff", with(fresh(), func(f *Facts) { f.CutStiff = is(true) })},
		{"six hours in lime", Chalky, "acid", with(fresh(), func(f *Facts) {
			f.Raw, f.CookedC, f.Method, f.PreparedHours = true, nil,
				"acid_cured", is(6.0)
		})},
		{"three days in salt", Stringy, "salt", with(fresh(), func(f *Facts) { f.Method, f.PreparedHours = "salted", is(72.0) })},
		{"a core of 74", Dry, "overcooked", with(fresh(), func(f *Facts) { f.CookedC = is(74.0) })},
		{"a core of 40", ColdCore, "undercooked", with(fresh(), func(f *Facts) { f.CookedC = is(40.0) })},
	} {
		list := Trace(c.word, c.of)
		if len(list) == 0 || list[0].ID != c.want || list[0].For == "" {
			t.Errorf("%s, %q: %+v", c.name, c.word.Name(), list[:min(len(list), 3)])
		}
	}
}

// Every word leads to causes, whatever is known; their shares are all there is; and what speaks for a cause moves it up, never down.
func TestTraceIsWhole(t *testing.T) {
	for _, w := range Words {
		for name, f := range map[string]Facts{"nothing known": {}, "fresh": fresh(), "frozen": frozen()} {
			sum := 0.0
			for _, c := range Trace(w, f) {
				sum += c.Share
				if known, ok := Known(c.ID); !ok || known.Name != c.Name || c.Share < 0 {
					t.Errorf("%s: %+v", w, c)
				}
				if name == "nothing known" && (c.For != "" || c.Against != "") {
					t.Errorf("%s: %s says something of nothing: %+v", w, c.ID, c)
				}
			}
			if math.Abs(sum-1) > 1e-12 {
				t.Errorf("%s, %s: shares sum to %v", w, name, sum)
			}
		}
	}
	share := func(minutes float64) float64 {
		f := fresh()
		f.BledMinutes = &minutes
		for _, c := range Trace(Strong, f) {
			if c.ID == "unbled" {
				return c.Share
			}
		}
		return -1
	}
	for minutes := 1.0; minutes < 90; minutes++ {
		if share(minutes+1) < share(minutes) {
			t.Fatalf("bled after %v min it is likelier than after %v", minutes, minutes+1)
		}
	}
}
