package frozen

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
)

// The tabulated points [IIR].
func TestLifeAtTheTabulatedPoints(t *testing.T) {
	for _, c := range []struct{ celsius, fatty, lean float64 }{{-12, 3, 4}, {-18, 5, 9}, {-24, 9, 12}, {-30, 12, 24},
		{-40, 12, 24}} {
		for fat, want := range map[Fat]float64{Fatty: c.fatty, Lean: c.lean} {
			if got, err := Life(fat, c.celsius); err != nil || math.Abs(got-want) > 1e-12 {
				t.Errorf("%s at %v °C: %v months, %v; want %v", fat, c.celsius, got, err, want)
			}
		}
	}
	if got, _ := Life(Lean, -15); math.Abs(got-6) > 1e-12 { // half way: √(4·9)
		t.Errorf("lean at −15 °C: %v months, want 6", got)
	}
	for _, warm := range []float64{-11.9, 0, math.NaN()} {
		if _, err := Life(Lean, warm); !errors.Is(err, ErrWarm) {
			t.Errorf("%v °C: %v", warm, err)
		}
	}
}

// A life at each point of the table uses up one life.
func TestALifeIsUsedUpInItsTime(t *testing.T) {
	for _, p := range table {
		for _, fat := range FatClasses {
			months, _ := Life(fat, p.celsius)
			u := Ramp(fat, p.celsius, p.celsius, time.Duration(months*float64(Month)))
			if math.Abs(u.Share-1) > 1e-9 || u.Holds() {
				t.Errorf("%s at %v °C: %+v", fat, p.celsius, u)
			}
			if left, err := u.LeftAt(fat, -18); err != nil || left > 1e-8 {
				t.Errorf("%v months left: %v", left, err)
			}
		}
	}
}

// The closed form against Simpson's rule, across the points of the table.
func TestRampAgainstIntegration(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for range 300 {
		a, b := -35+25*r.Float64(), -35+25*r.Float64()
		d := time.Duration(r.Float64() * float64(Month))
		got := Ramp(Lean, a, b, d)
		const n = 6000
		sum := 0.0
		for i := range n + 1 {
			w := 2.0 + 2*float64(i%2)
			if i == 0 || i == n {
				w = 1
			}
			sum += w * rate(Lean, a+(b-a)*float64(i)/n)
		}
		want := sum / (3 * n) * float64(d) / float64(Month)
		if math.Abs(got.Share/want-1) > 1e-6 {
			t.Fatalf("%v to %v °C: %v, Simpson's rule %v", a, b, got.Share, want)
		}
	}
}

// A week at −12 °C costs lean fish what it does, and is no reason to hold it; a
// degree more is.
func TestAWarmWeek(t *testing.T) {
	start := time.Date(2026, 1, 5, 0, 0, 0, 0, time.UTC)
	week := 7 * 24 * time.Hour
	at := func(celsius float64) Use {
		return Over(Lean, []coldchain.Reading{{At: start, Celsius: -24}, {At: start.Add(4 * week), Celsius: -24},
			{At: start.Add(4 * week), Celsius: celsius}, {At: start.Add(5 * week), Celsius: celsius}}, 5*week)
	}
	cost := at(-12).Share - at(-24).Share
	if want := week.Hours() / Month.Hours() * (1.0/4 - 1.0/12); math.Abs(cost-want) > 1e-9 {
		t.Errorf("a week at −12 °C costs %v more, want %v", cost, want)
	}
	if at(-12).Holds() || !at(-11).Holds() || at(-11).Warm != week {
		t.Errorf("held: %+v, %+v", at(-12), at(-11))
	}
	gap := Over(Lean, []coldchain.Reading{{At: start, Celsius: -24}, {At: start.Add(week), Celsius: -24}}, time.Hour)
	if gap.Known != 0 || gap.Share != 0 {
		t.Errorf("across a gap: %+v", gap)
	}
}
