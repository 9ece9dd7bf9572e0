package probe

import (
	"math"
	"testing"
	"time"
)

// Boiling points by altitude as kitchens print them, and saturation
// temperatures of steam tables at the pressures of the standard atmosphere at
// those altitudes (from memory).
func TestBoilingPointByAltitude(t *testing.T) {
	for _, c := range []struct{ altitude, celsius float64 }{
		{0, 100}, {500, 98.3}, {1000, 96.7}, {1500, 95.0}, {2000, 93.3}, {3000, 90.0},
		{540.3, 98.20}, {988.5, 96.71}, {1948.9, 93.51}, {3012.0, 89.96}, // 95, 90, 80, 70 kPa
	} {
		if got := BoilingC(c.altitude); math.Abs(got-c.celsius) > 0.15 {
			t.Errorf("at %.0f m: %.2f °C, want %.2f", c.altitude, got, c.celsius)
		}
	}
	for _, h := range []float64{-500, 6000, math.NaN()} {
		if c := BoilingC(h); !math.IsNaN(c) {
			t.Errorf("at %.0f m: %.2f °C, want none", h, c)
		}
	}
}

func TestJudge(t *testing.T) {
	for _, c := range []struct {
		method     Method
		read, real float64
		want       Verdict
	}{
		{Ice, 0.3, 0, Verdict{OffsetC: -0.3, Passed: true}},
		{Ice, -0.5, 0, Verdict{OffsetC: 0.5, Passed: true}},
		{Ice, 0.51, 0, Verdict{OffsetC: -0.51}},
		{Ice, 2.1, 0, Verdict{Broken: true}},
		{Ice, math.NaN(), 0, Verdict{OffsetC: 0, Broken: true}},
		{Boiling, 99.1, 100, Verdict{OffsetC: 0.9, Passed: true}},
		{Boiling, 98.8, 100, Verdict{OffsetC: 1.2}},
		{Reference, 4, 4.2, Verdict{OffsetC: 0.2, Passed: true}},
	} {
		got := c.method.Judge(c.read, c.real)
		if math.Abs(got.OffsetC-c.want.OffsetC) > 1e-9 || got.Passed != c.want.Passed || got.Broken != c.want.Broken {
			t.Errorf("%s, reads %v: %+v, want %+v", c.method, c.read, got, c.want)
		}
	}
}

func TestOffsetHoldsFromItsCheckOn(t *testing.T) {
	at := func(h int) time.Time { return time.Date(2026, 3, 2, h, 0, 0, 0, time.UTC) }
	offsets := []Offset{{at(6), -0.3}, {at(12), 0.1}}
	for hour, want := range map[int]float64{5: 0, 6: -0.3, 11: -0.3, 12: 0.1, 20: 0.1} {
		if got := OffsetAt(offsets, at(hour)); got != want {
			t.Errorf("at %d h: %v, want %v", hour, got, want)
		}
	}
}

// A probe two hours ahead: found, put right, sent again without doubling, late
// packs too, and noticed when somebody sets it right.
func TestAClockThatIsAhead(t *testing.T) {
	now := time.Date(2026, 3, 2, 6, 0, 0, 0, time.UTC)
	stored := map[time.Time]bool{}
	clock := Clock{}
	hear := func(what string, now, first, last time.Time, changes bool, want time.Time) {
		t.Helper()
		next, changed := clock.Hear(first, last, now, func(at time.Time) bool { return stored[at] })
		if changed != changes {
			t.Fatalf("%s: changed %v", what, changed)
		}
		clock = next
		if got := clock.Right(last); !got.Equal(want) {
			t.Fatalf("%s: taken as %s, want %s", what, got, want)
		}
		stored[clock.Right(last)] = true
	}
	ahead := 2 * time.Hour
	hear("right", now, now.Add(-10*time.Minute), now, false, now)
	hear("set ahead", now.Add(5*time.Minute), now.Add(5*time.Minute+ahead), now.Add(5*time.Minute+ahead), true,
		now.Add(5*time.Minute))
	hear("the next", now.Add(10*time.Minute), now.Add(10*time.Minute+ahead), now.Add(10*time.Minute+ahead), false,
		now.Add(10*time.Minute))
	hear("sent again an hour later", now.Add(70*time.Minute), now.Add(10*time.Minute+ahead),
		now.Add(10*time.Minute+ahead), false, now.Add(10*time.Minute))
	hear("a late pack", now.Add(80*time.Minute), now.Add(30*time.Minute+ahead), now.Add(40*time.Minute+ahead), false,
		now.Add(40*time.Minute))
	hear("sent again as its clock said", now.Add(40*time.Minute+ahead), now.Add(30*time.Minute+ahead),
		now.Add(40*time.Minute+ahead), false, now.Add(40*time.Minute))
	hear("set right", now.Add(3*time.Hour), now.Add(3*time.Hour), now.Add(3*time.Hour), true, now.Add(3*time.Hour))
	if clock != (Clock{}) {
		t.Errorf("%+v", clock)
	}
}
