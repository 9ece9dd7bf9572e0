package safety

import (
	"math"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
)

func series(pairs ...float64) []coldchain.Reading {
	var r []coldchain.Reading
	for i := 0; i < len(pairs); i += 2 {
		r = append(r, coldchain.Reading{At: hours(pairs[i]), Celsius: pairs[i+1]})
	}
	return r
}

// Readings by the hour: what they cover, what they leave open, and what lies
// before and after a long frozen storage.
func TestStretches(t *testing.T) {
	const weeks26 = 26 * 7 * 24
	for _, c := range []struct {
		what        string
		from, until float64
		readings    []coldchain.Reading
		frozenWeeks float64
		want        []Stretch
	}{
		{"all covered", 0, 3, series(0, 6, 1, 6, 2, 6, 3, 6), 0, []Stretch{{Hours: 3}}},
		{"half of the last hour open", 0, 3.5, series(0, 6, 1, 6, 2, 6, 3, 6), 0, []Stretch{{Hours: 3, Unknown: 0.5}}},
		{"a reading left out is bridged", 0, 4, series(0, 6, 1, 6, 3, 6, 4, 6), 0, []Stretch{{Hours: 4}}},
		{"a gap of three is not", 0, 6, series(0, 6, 1, 6, 2, 6, 5, 6, 6, 6), 0, []Stretch{{Hours: 3, Unknown: 3}}},
		{"above 21.1 °C", 0, 2, series(0, 23, 1, 23, 2, 23), 0, []Stretch{{Hours: 2, Warm: true}}},
		{"no readings", 0, 2, nil, 0, []Stretch{{Unknown: 2}}},
		{"nothing to read", 2, 2, series(0, 6, 1, 6), 0, nil},
		{"frozen for 20 weeks is no long storage", 0, 2, series(0, 6, 1, 6, 2, 6), 20, []Stretch{{Hours: 2}}},
		{"long frozen, only its thawing recorded", weeks26, weeks26 + 2,
			series(weeks26, 6, weeks26+1, 6, weeks26+2, 6), 26, []Stretch{{Hours: 2, Extended: true}}},
		{"long frozen, without readings in the freezer", 0, weeks26 + 4,
			series(0, 6, 1, 6, 2, 6, weeks26+2, 6, weeks26+3, 6, weeks26+4, 6), 26,
			[]Stretch{{Hours: 2}, {Hours: 2, Extended: true}}},
		{"long frozen, with readings in it", 0, weeks26 + 4,
			series(0, 6, 1, 6, 2, 6, 3, -20, weeks26, -20, weeks26+2, 6, weeks26+3, 6, weeks26+4, 6), 26,
			[]Stretch{{Hours: 2}, {Hours: 2, Extended: true}}},
	} {
		got := Stretches(hours(c.from), hours(c.until), c.readings, c.frozenWeeks)
		if len(got) != len(c.want) {
			t.Errorf("%s: %+v, want %+v", c.what, got, c.want)
			continue
		}
		for i, want := range c.want {
			if g := got[i]; math.Abs(g.Hours-want.Hours) > 1e-6 || math.Abs(g.Unknown-want.Unknown) > 1e-6 ||
				g.Warm != want.Warm || g.Extended != want.Extended {
				t.Errorf("%s: %+v, want %+v", c.what, got, c.want)
			}
		}
	}
}

// More time in the warm never makes a clock better, nor does less record.
func TestTheClockOnlyWorsens(t *testing.T) {
	base := HistamineFacts{Death: at(0), Chilled: at(2), AmbientC: celsius(10), Until: hours(30)}
	before := -1
	for h := 0.0; h < 12; h += 0.37 {
		f := base
		f.After = []Stretch{{Hours: h}}
		if now := rank(Histamine(f).State); now < before {
			t.Errorf("%.1f h above 4.4 °C are better than fewer", h)
		} else {
			before = now
		}
		f.After = []Stretch{{Hours: h, Unknown: 1}}
		if rank(Histamine(f).State) < rank(StateUnknown) {
			t.Errorf("%.1f h and one without a record: %s", h, Histamine(f).State)
		}
		warm := base
		warm.After = []Stretch{{Hours: h, Warm: h > 0}}
		if h > 0 && Histamine(warm).Share <= Histamine(HistamineFacts{Death: base.Death, Chilled: base.Chilled,
			AmbientC: base.AmbientC, After: []Stretch{{Hours: h}}}).Share {
			t.Errorf("%.1f h above 21.1 °C use no more than the same below", h)
		}
	}
}

// FuzzCooledAt holds the end of the cooling to the time it may lie in.
func FuzzCooledAt(f *testing.F) {
	f.Add(2.0, 14.0, 6.0, 3.0, 1.0)
	f.Add(0.0, 4.4, 4.4, 4.4, 0.5)
	f.Fuzz(func(t *testing.T, chilled, a, b, c, step float64) {
		if !(chilled >= 0 && chilled < 100) || !(step > 0 && step < 50) {
			return
		}
		got := CooledAt(t0, hours(chilled), series(chilled, a, chilled+step, b, chilled+2*step, c))
		if got.Before(hours(chilled)) || got.After(hours(math.Max(chilled, 24)).Add(time.Second)) {
			t.Errorf("chilled %v h after death, cooled after %v h", chilled, got.Sub(t0).Hours())
		}
	})
}
