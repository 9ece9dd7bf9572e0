package safety

import (
	"math"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
)

var t0 = time.Date(2026, 3, 1, 4, 0, 0, 0, time.UTC)

func hours(h float64) time.Time { return t0.Add(time.Duration(h * float64(time.Hour))) }

func at(h float64) *time.Time { t := hours(h); return &t }

func celsius(c float64) *float64 { return &c }

// The rules of [FDA-hazards, chapter 7] on both sides of each
// limit: hours from death to chilling, hours above 4.4 °C afterwards.
func TestHistamineRules(t *testing.T) {
	cold := func(s ...Stretch) []Stretch { return s }
	for _, c := range []struct {
		what  string
		facts HistamineFacts
		want  State
	}{
		{"warm water, 4.4 h to ice", HistamineFacts{Death: at(0), Chilled: at(4.4), AmbientC: celsius(30)}, StateOK},
		{"warm water, 4.6 h", HistamineFacts{Death: at(0), Chilled: at(4.6), AmbientC: celsius(30)}, StateWarn},
		{"warm water, 5.99 h", HistamineFacts{Death: at(0), Chilled: at(5.99), AmbientC: celsius(28.4)}, StateWarn},
		{"warm water, more than 6 h", HistamineFacts{Death: at(0), Chilled: at(6.01), AmbientC: celsius(28.4)}, StateStop},
		{"28.3 °C, 6.5 h", HistamineFacts{Death: at(0), Chilled: at(6.5), AmbientC: celsius(28.3)}, StateOK},
		{"28.3 °C, 8.9 h", HistamineFacts{Death: at(0), Chilled: at(8.9), AmbientC: celsius(28.3)}, StateWarn},
		{"28.3 °C, more than 9 h", HistamineFacts{Death: at(0), Chilled: at(9.01), AmbientC: celsius(28.3)}, StateStop},
		{"gutted first, 8.9 h", HistamineFacts{Death: at(0), Chilled: at(8.9), AmbientC: celsius(30), Gutted: true},
			StateOK},
		{"gutted first, 11.9 h", HistamineFacts{Death: at(0), Chilled: at(11.9), Gutted: true}, StateWarn},
		{"gutted first, more than 12 h", HistamineFacts{Death: at(0), Chilled: at(12.01), Gutted: true}, StateStop},
		{"nobody took the water's temperature, 5.9 h", HistamineFacts{Death: at(0), Chilled: at(5.9)}, StateWarn},
		{"nobody took the water's temperature, more than 6 h", HistamineFacts{Death: at(0), Chilled: at(6.01)}, StateStop},
		{"death not recorded", HistamineFacts{Chilled: at(2), AmbientC: celsius(12)}, StateUnknown},
		{"chilling not recorded", HistamineFacts{Death: at(0), AmbientC: celsius(12), Until: hours(3)}, StateUnknown},
		{"chilling not recorded, cold later", HistamineFacts{Death: at(0), ChilledBy: at(3), AmbientC: celsius(12),
			Until: hours(30)}, StateUnknown},
		{"not chilled yet, 3 h", HistamineFacts{Death: at(0), Waiting: true, AmbientC: celsius(12), Until: hours(3)},
			StateOK},
		{"not chilled yet, 7 h", HistamineFacts{Death: at(0), Waiting: true, AmbientC: celsius(12), Until: hours(7)},
			StateWarn},
		{"not chilled yet, more than 9 h", HistamineFacts{Death: at(0), Waiting: true, AmbientC: celsius(12), Until: hours(9.01)},
			StateStop},

		{"5.9 h above afterwards", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 5.9})}, StateOK},
		{"6 h", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12), After: cold(Stretch{Hours: 6})},
			StateWarn},
		{"7.99 h in two stretches", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 4}, Stretch{Hours: 3.99})}, StateWarn},
		{"exactly 8 h are still 8 h", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 4}, Stretch{Hours: 4})}, StateWarn},
		{"more than 8 h in two stretches", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 4}, Stretch{Hours: 4.01})}, StateStop},
		{"160 h at 3 to 4.4 °C", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Slow: 160})}, StateWarn},
		{"more than 168 h of it", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Slow: 168.1})}, StateStop},
		{"72 h of it in a pack without oxygen, and a little warm", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Slow: 72, NoOxygen: true}, Stretch{Hours: 0.1})}, StateStop},
		{"2.9 h, some above 21.1", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 2.9, Warm: true})}, StateOK},
		{"3.9 h, some above 21.1", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 3.9, Warm: true})}, StateWarn},
		{"more than 4 h, some above 21.1 in another stretch",
			HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
				After: cold(Stretch{Hours: 3.8}, Stretch{Hours: 0.21, Warm: true})}, StateStop},
		{"a quarter of an hour unrecorded", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Unknown: 0.25})}, StateOK},
		{"more unrecorded", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Unknown: 0.3})}, StateUnknown},
		{"a day unrecorded", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Unknown: 24})}, StateUnknown},
		{"unrecorded, and stopped by the record", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 8.01, Unknown: 24})}, StateStop},

		{"23.9 h after long frozen storage", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 23.9, Extended: true})}, StateWarn},
		{"more than 24 h after long frozen storage", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 24.01, Extended: true})}, StateStop},
		{"more than 12 h after it, some above 21.1", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 12.01, Extended: true, Warm: true})}, StateStop},
		{"half used before, 11.9 of 24 after", HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
			After: cold(Stretch{Hours: 4}, Stretch{Hours: 11.9, Extended: true})}, StateWarn},
		{"half used before, more than half after: the share survives freezing",
			HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
				After: cold(Stretch{Hours: 4}, Stretch{Hours: 12.01, Extended: true})}, StateStop},
		{"warm before the freezer does not halve what comes after",
			HistamineFacts{Death: at(0), Chilled: at(1), AmbientC: celsius(12),
				After: cold(Stretch{Hours: 1, Warm: true}, Stretch{Hours: 11, Extended: true})}, StateOK},

		{"an account of the way to chilling",
			HistamineFacts{AmbientC: celsius(12), Cleared: &HistamineClearance{Explained: true}}, StateOK},
		{"an account does not outweigh the record",
			HistamineFacts{Death: at(0), Chilled: at(10), AmbientC: celsius(12),
				Cleared: &HistamineClearance{Explained: true}}, StateStop},
		{"a test does", HistamineFacts{Death: at(0), Chilled: at(10), AmbientC: celsius(12),
			Cleared: &HistamineClearance{Tested: true}}, StateOK},
		{"a test answers for the unrecorded before it",
			HistamineFacts{After: cold(Stretch{Unknown: 20}), Cleared: &HistamineClearance{Tested: true, Before: 1}},
			StateOK},
		{"but not after it", HistamineFacts{After: cold(Stretch{Unknown: 20}, Stretch{Unknown: 1}),
			Cleared: &HistamineClearance{Tested: true, Before: 1}}, StateUnknown},
		{"a test lets a stopped lot go", HistamineFacts{After: cold(Stretch{Hours: 9}, Stretch{}),
			Cleared: &HistamineClearance{Tested: true, Before: 1}}, StateWarn},
		{"until it is warm again", HistamineFacts{After: cold(Stretch{Hours: 9}, Stretch{Hours: 0.3}),
			Cleared: &HistamineClearance{Tested: true, Before: 1}}, StateStop},
	} {
		got := Histamine(c.facts)
		if got.State != c.want {
			t.Errorf("%s: %s (%s), want %s", c.what, got.State, strings.Join(got.Reasons, "; "), c.want)
		}
		if got.Holds() != (c.want == StateStop || c.want == StateUnknown) {
			t.Errorf("%s: holds %v", c.what, got.Holds())
		}
		if got.State != StateOK && len(got.Reasons) == 0 {
			t.Errorf("%s: no reason", c.what)
		}
	}
}

func TestHistamineHours(t *testing.T) {
	b := Histamine(HistamineFacts{Death: at(0), Chilled: at(4.5), AmbientC: celsius(10), Until: hours(200),
		After: []Stretch{{Hours: 1.5, Unknown: 2}, {Hours: 0.5, Warm: true}}})
	if *b.ToChill.Used != 4.5 || b.ToChill.Allowed != 9 || *b.After.Used != 4 || b.After.Allowed != 4 ||
		b.After.Unknown != 2 || math.Abs(b.Share-1) > 1e-12 {
		t.Errorf("%+v", b)
	}
	if !strings.Contains(strings.Join(b.Reasons, "; "), "more than 7 days") {
		t.Errorf("after eight days the reasons say %q", b.Reasons)
	}
	if none := Histamine(HistamineFacts{}); none.ToChill.Used != nil || !math.IsNaN(none.ToChill.Share()) {
		t.Errorf("without a death: %+v", none)
	}
}

func TestCooledAt(t *testing.T) {
	for _, c := range []struct {
		what     string
		readings []coldchain.Reading
		want     float64
	}{
		{"no core readings", nil, 2},
		{"cold when put in", series(2.1, 3), 2},
		{"falls through 4.4 half-way between two", series(2, 14, 3, 6.4, 4, 2.4), 3.5},
		{"readings before the icing do not count", series(0, 20, 2.2, 3), 2},
		{"stays at 12", series(2, 12, 4, 12, 6, 12), 2},
		{"falls, then stands at 8", series(2, 14, 3, 8, 4, 8, 4.5, 8.1, 5, 8.2), 3},
		{"a wobble of half an hour is nothing", series(2, 14, 2.5, 9, 3, 9.2, 3.5, 6, 4.5, 2.8), 4},
		{"still falling at the end", series(2, 14, 3, 9), 3},
		{"24 h after death it counts whatever it does", series(2, 14, 8, 13, 16, 12, 26, 11), 24},
	} {
		if got := CooledAt(t0, hours(2), c.readings); got.Sub(hours(c.want)).Abs() > time.Second {
			t.Errorf("%s: %.2f h after death, want %.2f", c.what, got.Sub(t0).Hours(), c.want)
		}
	}
}

// The landing table, both sides of each of its limits [FDA-hazards, chapter 7].
func TestLandingTable(t *testing.T) {
	for _, c := range []struct {
		hours, core float64
		want        bool
	}{{11.9, 25, true}, {12, 15.6, true}, {12, 15.7, false}, {14.9, 15.6, true}, {15, 10, true}, {15, 10.1, false}, {23.9, 10, true},
		{24, 4.4, true}, {24, 4.5, false}, {90, 4.5, false}} {
		if got := MayLandAt(time.Duration(c.hours*float64(time.Hour)), c.core); got != c.want {
			t.Errorf("%.1f °C after %.1f h: %v", c.core, c.hours, got)
		}
	}
}

// Sampling plans on both sides of c, m and M ([EU2073]: n = 9,
// c = 2, m = 100, M = 200 mg/kg).
func TestSamplingPlans(t *testing.T) {
	eu, _ := GetPlan("eu2073")
	us, _ := GetPlan("action35")
	results := func(n int, base float64, others ...float64) []float64 {
		r := make([]float64, n)
		for i := range r {
			r[i] = base
		}
		copy(r, others)
		return r
	}
	for _, c := range []struct {
		what    string
		plan    Plan
		results []float64
		want    bool
	}{
		{"all low", eu, results(9, 12), true},
		{"two between m and M", eu, results(9, 20, 150, 200), true},
		{"at m is not above it", eu, results(9, 100), true},
		{"three between", eu, results(9, 20, 101, 150, 180), false},
		{"one above M", eu, results(9, 20, 200.1), false},
		{"too few", eu, results(8, 12), false},
		{"none", eu, nil, false},
		{"60 below 35", us.For(200, 60), results(60, 34.9), true},
		{"one above 35", us.For(200, 60), results(60, 5, 35.1), false},
		{"18 of 200 fish", us.For(200, 18), results(18, 5), false},
		{"all of eleven", us.For(11, 11), results(11, 34.9), true},
		{"ten of eleven", us.For(11, 10), results(10, 5), false},
		{"20 composites below a third", us.For(200, 20), results(20, 11.6), true},
		{"a composite above a third", us.For(200, 20), results(20, 5, 11.7), false},
		{"four composites of eleven", us.For(11, 4), results(4, 11.6), true},
		{"one fish", us.For(1, 1), results(1, 34.9), true},
	} {
		if got, why := c.plan.Judge(c.results); got != c.want || why == "" {
			t.Errorf("%s: %v, %s", c.what, got, why)
		}
	}
	if ok, _ := (Plan{N: 5, C: 4, M: 10, MostM: 90}).Judge([]float64{9, 60, 60, 60, 60}); ok {
		t.Error("a mean above m was taken")
	}
	strict := Plan{N: 18, C: 0, M: 40, MostM: 40}
	for what, c := range map[string]struct {
		plan Plan
		bad  string // the fields
	}{
		"a stricter one": {strict, ""}, "as the EU has it": {eu, ""}, "the older action level": {Plans[2], ""},
		"one strip":       {Plan{N: 1, C: 0, M: 40, MostM: 40}, "n"},
		"eight samples":   {Plan{N: 8, C: 0, M: 40, MostM: 40}, "n"},
		"three above":     {Plan{N: 18, C: 3, M: 100, MostM: 200}, "c"},
		"m above 100":     {Plan{N: 18, C: 0, M: 100.1, MostM: 200}, "m"},
		"M of a thousand": {Plan{N: 9, C: 2, M: 100, MostM: 1000}, "M"},
		"nothing":         {Plan{MostM: -1}, "nmM"},
	} {
		var bad invalid.Errors
		c.plan.Check(&bad)
		fields := ""
		for _, e := range bad {
			fields += e.Field
		}
		if fields != c.bad {
			t.Errorf("%s: %v", what, bad)
		}
	}
}
