package ageing

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"
)

var begun = time.Date(2026, 11, 10, 8, 0, 0, 0, time.UTC)

func after(days float64) time.Time { return begun.Add(time.Duration(days * 24 * float64(time.Hour))) }

// Saturation vapour pressure over water, hPa [Smithsonian Meteorological Tables,
// 6th edition, table 94, Goff and Gratch; the same to four figures in WMO-No. 8]
// (from memory).
func TestSaturation(t *testing.T) {
	for celsius, hPa := range map[float64]float64{0: 6.1078, 2: 7.0547, 10: 12.272, 20: 23.373} {
		if got := 10 * SaturationKPa(celsius); math.Abs(got/hPa-1) > 0.002 {
			t.Errorf("at %v °C: %.4f hPa, the table %.4f", celsius, got, hPa)
		}
	}
	if p := (Air{Celsius: ReferenceC, RH: ReferenceRH}).Pace(); math.Abs(p-1) > 1e-12 {
		t.Errorf("the reference dries at %v of itself", p)
	}
}

// The closed form against the differential equation dL/dx = K/(1 + L/Lc), by the
// classical method of Runge and Kutta.
func TestLossAgainstIntegration(t *testing.T) {
	for _, c := range []Curve{StartCurve(3), StartCurve(0.6), {0.03, 0.05}, {0.004, 0.3}} {
		slope := func(l float64) float64 { return c.K / (1 + l/c.Lc) }
		l, h := 0.0, 0.01
		for i := range 3000 {
			k1 := slope(l)
			k2 := slope(l + h/2*k1)
			k3 := slope(l + h/2*k2)
			k4 := slope(l + h*k3)
			l += h / 6 * (k1 + 2*k2 + 2*k3 + k4)
			x := float64(i+1) * h
			if math.Abs(c.Loss(x)-l) > 1e-9 || math.Abs(c.Days(l)-x) > 1e-6 {
				t.Fatalf("%+v after %v days: %v by the formula, %v by steps; back %v days", c, x, c.Loss(x), l,
					c.Days(l))
			}
		}
	}
}

// The trade's ranges for a fish of some 3 kg in 2 °C and 80 % [common practice, no
// source]: 2–5 % lost in a short dry of 1–4 days, 6–12 % in 5–14 days.
func TestTradeRanges(t *testing.T) {
	c := StartCurve(3)
	for _, r := range []struct{ days, lo, hi float64 }{{2, 0.02, 0.05}, {4, 0.02, 0.05}, {6, 0.055, 0.12},
		{14, 0.06, 0.125}} {
		if l := c.Loss(r.days); l < r.lo || l > r.hi {
			t.Errorf("%v days: %.3f, the trade says %v to %v", r.days, l, r.lo, r.hi)
		}
	}
}

// The dried days: measured air counts as it was, gaps and the time to come as
// set.
func TestDried(t *testing.T) {
	dry := Air{Celsius: ReferenceC, RH: 0.6} // twice the reference
	climate := Climate{Set: Air{Celsius: ReferenceC, RH: ReferenceRH}}
	for h := range 24 {
		dry.At = begun.Add(time.Duration(h) * time.Hour)
		climate.Air = append(climate.Air, dry)
	}
	for _, c := range []struct{ from, to, want float64 }{{0, 1, 2}, {0, 0.5, 1}, {-1, 0, 1},
		{0, 2, 2 + 2.0/24 + 1 - 2.0/24 + 2.0/24}, {5, 6, 1}, {1, 1, 0}, {2, 1, 0}} {
		if got := climate.Dried(after(c.from), after(c.to)); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("day %v to %v: %v, want %v", c.from, c.to, got, c.want)
		}
	}
	if m := climate.Mean(after(0), after(1)); math.Abs(m.RH-0.6) > 1e-9 {
		t.Errorf("mean %+v", m)
	}
	if m := climate.Mean(after(5), after(6)); m != climate.Set {
		t.Errorf("where nothing was measured: %+v", m)
	}
}

// series is a fish drawn from a prior, with its weigh-ins.
func series(r *rand.Rand, prior Prior, scale Scale, kg float64, days int) (Curve, []WeighIn) {
	truth := Curve{prior.K * math.Exp(prior.SDK*r.NormFloat64()), prior.Lc * math.Exp(prior.SDLc*r.NormFloat64())}
	var list []WeighIn
	for d := range days + 1 {
		w := kg * (1 - truth.Loss(float64(d)))
		w += wetShare * w * r.NormFloat64()
		list = append(list, WeighIn{after(float64(d)), math.Round(w/scale.StepKg) * scale.StepKg})
	}
	return truth, list
}

// A thousand seeded fish, weighed daily: the pace is found
// without bias, and the 90 % bands of the pace, of the loss a week ahead and of
// the day of a target hold what they say.
func TestRecovery(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	climate := Climate{Set: Air{Celsius: ReferenceC, RH: ReferenceRH}}
	for _, c := range []struct {
		days  int
		kg    float64
		scale Scale
	}{{5, 3, Scale{0.005}}, {10, 1.2, Scale{0.001}}, {12, 3, Scale{0.002}}} {
		var bias, n float64
		held := map[string]float64{}
		for range 1000 {
			prior := PriorWithoutHistory(c.kg)
			truth, list := series(r, prior, c.scale, c.kg, c.days)
			f, err := NewFit(list, climate, prior, c.scale)
			if err != nil {
				t.Fatal(err)
			}
			n++
			bias += f.K/truth.K - 1
			within := func(what string, b Band, x float64) {
				if x >= b.Lo && x <= b.Hi {
					held[what]++
				}
			}
			sd := math.Sqrt(f.cov.At(0, 0))
			within("pace", Band{Lo: f.K * math.Exp(-Band90*sd), Hi: f.K * math.Exp(Band90*sd)}, truth.K)
			ahead := float64(c.days + 7)
			within("loss a week ahead", f.LossAfter(ahead), truth.Loss(ahead))
			target := truth.Loss(float64(c.days)) + 0.02
			m := f.Reaches(target)
			if day := after(truth.Days(target)); !day.Before(m.Lo) && (m.Hi.IsZero() || !day.After(m.Hi)) {
				held["day of the target"]++
			}
		}
		if b := bias / n; math.Abs(b) > 0.02 {
			t.Errorf("%v kg, %d days: the pace is off by %.1f %% on the average", c.kg, c.days, 100*b)
		}
		for what, k := range held {
			t.Logf("%v kg, %d days: %s held in %.1f %%", c.kg, c.days, what, 100*k/n)
			if k/n < 0.87 || k/n > 0.93 {
				t.Errorf("%v kg, %d days: the 90 %% band of the %s holds %.1f %%", c.kg, c.days, what, 100*k/n)
			}
		}
	}
}

// With nothing but its start a fish follows the prior; drier air brings the
// target nearer, wetter air moves it away.
func TestForecastFollowsTheAir(t *testing.T) {
	scale := Scale{0.005}
	target := 0.06
	day := func(rh float64) time.Time {
		f, err := NewFit([]WeighIn{{begun, 3}}, Climate{Set: Air{Celsius: 2, RH: rh}}, PriorWithoutHistory(3), scale)
		if err != nil {
			t.Fatal(err)
		}
		return f.Reaches(target).Mid
	}
	if want := after(StartCurve(3).Days(target)); day(0.8).Sub(want).Abs() > time.Minute {
		t.Errorf("at the reference: %v, want %v", day(0.8), want)
	}
	if !day(0.7).Before(day(0.8)) || !day(0.85).After(day(0.8)) {
		t.Errorf("70 %%: %v, 80 %%: %v, 85 %%: %v", day(0.7), day(0.8), day(0.85))
	}
	f, _ := NewFit([]WeighIn{{begun, 3}}, Climate{Set: Air{Celsius: 2, RH: 0.99}}, PriorWithoutHistory(3), scale)
	if m := f.Reaches(0.3); !m.Mid.IsZero() {
		t.Errorf("30 %% in wet air on %v", m.Mid)
	}
}

// A wrong fish on the hook is asked about, a usual weight is not.
func TestSurprise(t *testing.T) {
	scale, climate := Scale{0.005}, Climate{Set: Air{Celsius: ReferenceC, RH: ReferenceRH}}
	truth := StartCurve(2)
	list := []WeighIn{{begun, 2}}
	for d := 1.0; d <= 3; d++ {
		list = append(list, WeighIn{after(d), 2 * (1 - truth.Loss(d))})
	}
	f, err := NewFit(list, climate, PriorWithoutHistory(2), scale)
	if err != nil {
		t.Fatal(err)
	}
	usual := 2 * (1 - truth.Loss(4))
	for kg, odd := range map[float64]bool{usual: false, usual + 0.008: false, usual + 0.06: true, usual - 0.2: true,
		1.2: true} {
		if z := f.Surprise(WeighIn{after(4), kg}, scale); (math.Abs(z) > OddWeightSD) != odd {
			t.Errorf("%.3f kg: %.1f standard deviations", kg, z)
		}
	}
	for _, bad := range [][]WeighIn{nil, {{begun, 0}}, {{begun, 2}, {begun, 1.9}}, {{begun, math.NaN()}}} {
		if _, err := NewFit(bad, climate, PriorWithoutHistory(2), scale); err == nil {
			t.Errorf("%v made a fit", bad)
		}
	}
}
