package coldchain

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"gonum.org/v1/gonum/integrate/quad"
)

var t0 = time.Date(2026, 3, 1, 5, 20, 0, 0, time.UTC)

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s = %.9g, want %.9g ± %g", what, got, want, tolerance)
	}
}

// The rows of [FAO348, table 6.2] as given in the rules of the job (from
// memory): they are printed with one decimal.
func TestKeepingTimesOfFAO348(t *testing.T) {
	for _, row := range []struct{ iceDays, celsius, want float64 }{
		{6, 0, 6}, {6, 5, 2.7}, {6, 10, 1.5}, {6, 15, 1}, {14, 5, 6.2},
	} {
		got, err := Temperate.DaysAt(row.iceDays, row.celsius)
		if err != nil {
			t.Fatal(err)
		}
		near(t, fmt.Sprintf("%v days in ice, at %v °C", row.iceDays, row.celsius), got, row.want, 0.05)
	}
}

func TestRate(t *testing.T) {
	for _, row := range []struct {
		model      Model
		celsius, r float64
	}{
		{Temperate, 0, 1}, {Temperate, 10, 4}, {Temperate, -3, 0.49}, {Temperate, 25, 12.25},
		{Warm, 0, 1}, {Warm, 10, math.Exp(1.2)}, {Warm, -3, math.Exp(-0.36)},
		{Temperate, -8, 0.49}, // held at −3 °C
	} {
		got, err := row.model.Rate(row.celsius)
		if err != nil {
			t.Fatal(err)
		}
		near(t, fmt.Sprintf("%s rate at %v °C", row.model, row.celsius), got, row.r, 1e-12)
	}
	if _, err := Temperate.Rate(25.01); !errors.Is(err, ErrNoRule) {
		t.Errorf("rate at 25.01 °C: error %v, want ErrNoRule", err)
	}
	// Below about 15 °C the temperate rate is the greater (rules, section 4).
	for c := 0.5; c < 15; c += 0.5 {
		a, _ := Temperate.Rate(c)
		b, _ := Warm.Rate(c)
		if a <= b {
			t.Errorf("at %v °C temperate %v is not above warm %v", c, a, b)
		}
	}
}

// Even ramps have closed forms: ∫(1+0.1T)² dT = (1+0.1T)³/0.3 and
// ∫exp(0.12T) dT = exp(0.12T)/0.12.
func TestRampAgainstClosedForm(t *testing.T) {
	cube := func(c float64) float64 { return math.Pow(1+0.1*c, 3) / 0.3 }
	exp := func(c float64) float64 { return math.Exp(0.12*c) / 0.12 }
	for _, r := range [][2]float64{{0, 10}, {10, 0}, {-3, 25}, {4, 4.0001}, {-1, 2}} {
		e := Ramp(r[0], r[1], 36*time.Hour)
		near(t, fmt.Sprintf("temperate ramp %v", r), e.Temperate, 1.5*(cube(r[1])-cube(r[0]))/(r[1]-r[0]), 1e-9)
		near(t, fmt.Sprintf("warm ramp %v", r), e.Warm, 1.5*(exp(r[1])-exp(r[0]))/(r[1]-r[0]), 1e-8)
	}
	// by both in turn: warm up to 0 °C, temperate from there to 15.7901 °C, warm above
	mixed := Ramp(-3, 25, 36*time.Hour).Mixed
	near(t, "mixed ramp", mixed, 1.5*(exp(0)-exp(-3)+cube(15.790145)-cube(0)+exp(25)-exp(15.790145))/28, 1e-7)
	near(t, "steady 5 °C, temperate", Ramp(5, 5, 48*time.Hour).Temperate, 4.5, 1e-12)
}

// Numerical quadrature by gonum over ramps that cross the ends of the rule.
func TestRampAgainstQuadrature(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		a, b := -40+80*rnd.Float64(), -40+80*rnd.Float64()
		d := time.Duration(rnd.Float64() * float64(96*time.Hour))
		e := Ramp(a, b, d)
		for model, got := range map[Model]float64{Temperate: e.Temperate, Warm: e.Warm, Mixed: e.Mixed} {
			rate := func(x float64) float64 {
				c := a + (b-a)*x
				r, err := model.Rate(c)
				if err != nil && model != Temperate { // extrapolated
					return math.Exp(0.12 * c)
				} else if err != nil {
					return (1 + 0.1*c) * (1 + 0.1*c)
				}
				return r
			}
			cuts := []float64{0, 1}
			for _, level := range []float64{LowestRated, 0, warmFaster, HighestRated} {
				if x := (level - a) / (b - a); x > 0 && x < 1 {
					cuts = append(cuts, x)
				}
			}
			slices.Sort(cuts)
			var want float64
			for i := 1; i < len(cuts); i++ {
				want += quad.Fixed(rate, cuts[i-1]+1e-12, cuts[i]-1e-12, 40, nil, 0)
			}
			near(t, fmt.Sprintf("%s from %.3f to %.3f °C", model, a, b), got, want*d.Hours()/24, 1e-8)
		}
	}
}

func TestTimeAboveLimits(t *testing.T) {
	e := Ramp(0, 22, 22*time.Hour)
	near(t, "hours above 4.4", e.HoursAbove(4.4), 17.6, 1e-9)
	near(t, "hours above 21.1", e.HoursAbove(21.1), 0.9, 1e-9)
	near(t, "falling, hours above 4.4", Ramp(22, 0, 22*time.Hour).HoursAbove(4.4), 17.6, 1e-9)
	near(t, "exactly at the limit is not above", Ramp(4.4, 4.4, time.Hour).HoursAbove(4.4), 0, 0)
	if got := Ramp(20, 30, 2*time.Hour).BeyondRule(); got != time.Hour {
		t.Errorf("time beyond the rule = %v, want 1h", got)
	}
}

func TestSeriesGapsAndHold(t *testing.T) {
	at := func(min int) time.Time { return t0.Add(time.Duration(min) * time.Minute) }
	s := Series{
		Readings: []Reading{{at(10), 0}, {at(20), 10}, {at(80), 0}, {at(90), 0}},
		MaxGap:   20 * time.Minute, Hold: 5 * time.Minute,
	}
	e, gaps := s.Exposure(Span{at(0), at(120)})
	want := []Span{{at(0), at(5)}, {at(20), at(80)}, {at(95), at(120)}}
	if !slices.Equal(gaps, want) {
		t.Errorf("gaps %v, want %v", gaps, want)
	}
	if e.Covered != 30*time.Minute {
		t.Errorf("covered %v, want 30m", e.Covered)
	}
	if e, gaps := s.Exposure(Span{at(12), at(15)}); len(gaps) != 0 || e.Min != 2 || e.Max != 5 {
		t.Errorf("inside one line: %v…%v °C, gaps %v; want 2…5 °C and none", e.Min, e.Max, gaps)
	}
	if _, gaps := (Series{}).Exposure(Span{at(0), at(1)}); len(gaps) != 1 {
		t.Errorf("an empty series must know nothing, gaps %v", gaps)
	}
}

func TestAccountAsksEachLayerForWhatTheBetterOnesLeave(t *testing.T) {
	at := func(h float64) time.Time { return t0.Add(time.Duration(h * float64(time.Hour))) }
	logger := Series{Readings: []Reading{{at(2), 1}, {at(3), 1}}, MaxGap: time.Hour}
	spots := Series{Readings: []Reading{{at(0), 6}, {at(2.5), 8}, {at(4), 4}}, MaxGap: 4 * time.Hour}
	parts, gaps := FromLayers(Span{at(0), at(6)}, Layer{Logged, logger}, Layer{Spot, spots}, Layer{Assumed, Steady(2)})
	if len(gaps) != 0 || len(parts) != 3 {
		t.Fatalf("%d parts, gaps %v", len(parts), gaps)
	}
	for i, want := range []time.Duration{time.Hour, 3 * time.Hour, 2 * time.Hour} {
		if parts[i].Exposure.Covered != want {
			t.Errorf("%s covers %v, want %v", parts[i].Kind, parts[i].Exposure.Covered, want)
		}
	}
	if want := []Span{{at(0), at(2)}, {at(3), at(4)}}; !slices.Equal(parts[1].Spans, want) {
		t.Errorf("spot spans %v, want %v", parts[1].Spans, want)
	}
}

func TestUsualInterval(t *testing.T) {
	r := []Reading{{At: t0}, {At: t0.Add(time.Minute)}, {At: t0.Add(2 * time.Minute)}, {At: t0.Add(50 * time.Minute)}}
	if got := UsualInterval(r); got != time.Minute {
		t.Errorf("usual interval %v, want 1m", got)
	}
}

// randomSeries jitters around an interval, with holes and bursts.
func randomSeries(rnd *rand.Rand, n int, interval time.Duration) []Reading {
	readings := make([]Reading, n)
	at, c := t0, 2.0
	for i := range readings {
		step := time.Duration((0.5 + rnd.Float64()) * float64(interval))
		if rnd.IntN(25) == 0 {
			step *= time.Duration(2 + rnd.IntN(30))
		}
		at = at.Add(step).Truncate(time.Microsecond)
		c += rnd.NormFloat64()
		if rnd.IntN(40) == 0 {
			c = -6 + 36*rnd.Float64()
		}
		readings[i] = Reading{at, c}
	}
	return readings
}

// roll makes the Rolled of a series, with readings just for the hours it needs.
func roll(s Series, span Span) *Rolled {
	rolled := &Rolled{MaxGap: s.MaxGap, Hold: s.Hold, Raw: map[time.Time][]Reading{}}
	roller := Roller{MaxGap: s.MaxGap, Emit: func(h Hour) { rolled.Hours = append(rolled.Hours, h) }}
	for _, r := range s.Readings {
		roller.Push(r)
	}
	roller.Close()
	for _, start := range rolled.NeedsReadings(span) {
		for _, r := range s.Readings {
			if r.At.Truncate(time.Hour).Equal(start) {
				rolled.Raw[start] = append(rolled.Raw[start], r)
			}
		}
	}
	return rolled
}

func TestRollUpEqualsIntegrationOfTheReadings(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	for trial := range 300 {
		interval := []time.Duration{time.Minute, 7 * time.Minute, 45 * time.Minute, 3 * time.Hour}[trial%4]
		readings := randomSeries(rnd, 400, interval)
		s := Series{Readings: readings, MaxGap: GapFactor * interval, Hold: interval}
		whole := readings[len(readings)-1].At.Sub(t0) + 4*interval
		from := t0.Add(time.Duration(rnd.Float64() * float64(whole)))
		span := Span{from, from.Add(time.Duration(rnd.Float64() * float64(whole)))}

		want, wantGaps := s.Exposure(span)
		got, gotGaps := roll(s, span).Exposure(span)
		if got.Covered != want.Covered || !slices.Equal(gotGaps, wantGaps) {
			t.Fatalf("trial %d over %v: covered %v with gaps %v, want %v with %v", trial, span, got.Covered, gotGaps,
				want.Covered, wantGaps)
		}
		near(t, "temperate ice days", got.Temperate, want.Temperate, 1e-9)
		near(t, "warm ice days", got.Warm, want.Warm, 1e-9)
		near(t, "mixed ice days", got.Mixed, want.Mixed, 1e-9)
		near(t, "degree days", got.DegreeDay, want.DegreeDay, 1e-9)
		for i := range Limits {
			near(t, fmt.Sprintf("hours above %v °C", Limits[i]), got.Above[i].Hours(), want.Above[i].Hours(), 1e-6)
		}
		if t.Failed() {
			t.Fatalf("trial %d over %v", trial, span)
		}
	}
}

// Where old readings were dropped the roll-up answers alone: whole hours exactly,
// a part of one by its share.
func TestRollUpAnswersForReadingsThatWereDropped(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 2))
	s := Series{Readings: randomSeries(rnd, 3000, time.Minute), MaxGap: GapFactor * time.Minute}
	span := Span{s.Readings[200].At, s.Readings[2800].At}
	kept, dropped := roll(s, span), roll(s, span)
	dropped.Raw = nil
	want, gapsWant := kept.Exposure(span)
	got, gaps := dropped.Exposure(span)
	near(t, "fresh days", got.Temperate, want.Temperate, 0.01*want.Temperate)
	near(t, "hours known", got.Covered.Hours(), want.Covered.Hours(), 0.5)
	near(t, "hours unknown", Total(gaps).Hours(), Total(gapsWant).Hours(), 0.5)
	near(t, "all of the time", got.Covered.Hours()+Total(gaps).Hours(), span.Len().Hours(), 1e-6)
}

func BenchmarkExposureOf30DaysByMinute(b *testing.B) {
	readings := make([]Reading, 30*24*60)
	for i := range readings {
		readings[i] = Reading{t0.Add(time.Duration(i) * time.Minute), 2 + math.Sin(float64(i)/40)}
	}
	s := Series{Readings: readings, MaxGap: 2 * time.Minute, Hold: time.Minute}
	span := Span{t0.Add(time.Second), readings[len(readings)-1].At.Add(-time.Second)}
	rolled := roll(s, span)
	b.Run("readings", func(b *testing.B) {
		for b.Loop() {
			s.Exposure(span)
		}
	})
	b.Run("rollup", func(b *testing.B) {
		for b.Loop() {
			rolled.Exposure(span)
		}
	})
}
