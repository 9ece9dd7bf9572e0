package coldchain

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"
)

// A body put into other surroundings: T = T_around + (T₀ − T_around)·exp(−t/τ),
// the exact solution of the lumped equation.
func TestFollowAfterAStep(t *testing.T) {
	begin := time.Date(2026, 3, 2, 6, 0, 0, 0, time.UTC)
	tau := 90 * time.Minute
	points := Follow(8, []Step{{Span: Span{begin, begin.Add(6 * time.Hour)}, Celsius: 1, Tau: tau}}, nil)
	line := Series{Readings: points, MaxGap: 24 * time.Hour}
	e, gaps := line.Exposure(Span{begin, begin.Add(6 * time.Hour)})
	if len(gaps) > 0 {
		t.Fatalf("gaps %v", gaps)
	}
	// ∫ T dt, and the time until 4.4 °C.
	k := 6 / tau.Hours()
	near(t, "degree days", e.DegreeDay, (6*1+7*tau.Hours()*(1-math.Exp(-k)))/24, 4e-3)
	near(t, "hours above 4.4 °C", e.HoursAbove(4.4), tau.Hours()*math.Log(7/3.4), 0.02)
	last := points[len(points)-1]
	near(t, "the end", last.Celsius, 1+7*math.Exp(-k), 1e-12)
}

// Air that swings with an angular frequency ω: the body swings by
// 1/√(1 + (ωτ)²) of it. The surroundings come as means of an hour, as they do
// from roll-ups.
func TestFollowDampsASwing(t *testing.T) {
	begin := time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct{ period, tau float64 }{{24, 2}, {24, 0.5}, {12, 3}} {
		w := 2 * math.Pi / c.period
		var steps []Step
		for h := range 240 {
			from := begin.Add(time.Duration(h) * time.Hour)
			mean := (math.Cos(w*float64(h)) - math.Cos(w*float64(h+1))) / w // of sin over the hour
			steps = append(steps, Step{Span: Span{from, from.Add(time.Hour)}, Celsius: mean,
				Tau: time.Duration(c.tau * float64(time.Hour))})
		}
		most := 0.0
		for _, p := range Follow(0, steps, nil) {
			if p.At.Sub(begin) > 120*time.Hour {
				most = math.Max(most, math.Abs(p.Celsius))
			}
		}
		near(t, "swing", most, 1/math.Sqrt(1+w*c.tau*w*c.tau), 0.015)
	}
}

// A core reading is where the body goes on from; ice and the like are followed
// at once.
func TestFollowGoesOnFromAMeasuredTemperature(t *testing.T) {
	begin := time.Date(2026, 3, 2, 6, 0, 0, 0, time.UTC)
	hour := func(h float64) time.Time { return begin.Add(time.Duration(h * float64(time.Hour))) }
	steps := []Step{{Span: Span{hour(0), hour(4)}, Celsius: 5, Tau: time.Hour}, {Span: Span{hour(4), hour(5)}},
		{Span: Span{hour(5), hour(6)}, Celsius: 5, Tau: time.Hour}}
	points := Follow(1, steps, []Reading{{hour(2), 3}})
	at := func(h float64) float64 {
		e, _ := Series{Readings: points, MaxGap: 24 * time.Hour}.Exposure(Span{hour(h), hour(h).Add(time.Second)})
		return e.Mean()
	}
	near(t, "just before the reading", at(1.999), 5-4*math.Exp(-2), 0.02)
	near(t, "just after it", at(2.001), 3, 0.02)
	near(t, "two hours on", at(3.999), 5-2*math.Exp(-2), 0.02)
	near(t, "in ice", at(4.5), 0, 1e-9)
	near(t, "out of it", at(6-0.001), 5-5*math.Exp(-1), 0.02)
}

// Air that lies exactly at a limit for hours is not above it, whatever the sums of a mean leave in the
// last bits.
func TestAMeanAtALimitIsNotAboveIt(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 200 {
		var points []Reading
		each := time.Duration((0.4 + 0.1*r.Float64()) * float64(time.Hour))
		for i := range 50 {
			c := math.Round(10*(1+0.4*r.Float64())) / 10
			if i > 30 {
				c = 4
			}
			points = append(points, Reading{t0.Add(time.Duration(i) * each), c})
		}
		line := Lag([]Lagging{{Points: points, Air: true}}, nil, time.Hour)
		s := Series{Readings: line, MaxGap: 24 * time.Hour}
		if e, _ := s.Exposure(Span{t0, points[len(points)-1].At}); e.HoursAbove(4) > 0 {
			t.Errorf("%.2f h above 4 °C, at most %.15f °C", e.HoursAbove(4), e.Max)
		}
	}
}
