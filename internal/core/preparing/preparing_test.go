package preparing_test

import (
	"math"
	"testing"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/heat/testheat"
	"leancatch/internal/core/preparing"
	"leancatch/internal/core/species"
)

// The hours and doses are those of the domain's list (common practice, no source): salted ahead one hour to two days,
// marinated half an hour to overnight, cured in acid about two hours, a cold pack two days at most.
func TestMethods(t *testing.T) {
	for id, want := range map[string]struct{ ready, keeps float64 }{"salted": {1, 48}, "marinated": {0.5, 16}, "acid_cured": {2, 4}, "wrapped": {0, 48}} {
		m, ok := preparing.Get(id)
		if !ok || m.ReadyIn != want.ready || m.Hours != want.keeps || m.ReadyIn >= m.Hours {
			t.Errorf("%s: ready in %.1f h, keeps %.0f h", id, m.ReadyIn, m.Hours)
		}
	}
	if m, _ := preparing.Get("salted"); m.Dose(2.5) != 30 || m.Unit != "g" {
		t.Errorf("2.5 kg take %.0f %s of salt", m.Dose(2.5), m.Unit)
	}
	for _, m := range preparing.Methods() {
		if (m.PerKg > 0) != (m.Unit != "") || m.Why == "" || m.Hours <= 0 {
			t.Errorf("%+v", m)
		}
	}
	if _, ok := preparing.Get("boiled"); ok {
		t.Error("a way that there is not")
	}
}

// Minutes to two thirds against the whole Fourier series of a slab, of which production takes one term. Thicker takes
// longer, by more than its share.
func TestTwoThirds(t *testing.T) {
	cod, _ := species.Builtin().Get("cod")
	food := heat.Of(cod)
	at, err := food.At(30)
	if err != nil {
		t.Fatal(err)
	}
	last := 0.0
	for _, mm := range []float64{10, 20, 40} {
		got, err := preparing.TwoThirds(food, mm, 4)
		if err != nil {
			t.Fatal(err)
		}
		half := mm / 2000
		bi := 500 * half / at.ConductivityWMK
		theta := func(seconds float64) float64 {
			return testheat.Fourier(testheat.Slab, bi, seconds*at.ConductivityWMK/(at.DensityKgM3*1000*at.SpecificHeat)/half/half, 1.0/3)
		}
		lo, hi := 1.0, 4*3600.0 // θ falls from 1 to 0; 60 °C of steam at 100 and fish at 4
		for range 50 {
			if mid := (lo + hi) / 2; theta(mid) > (100-60)/(100-4.0) {
				lo = mid
			} else {
				hi = mid
			}
		}
		if math.Abs(got.Seconds()/lo-1) > 0.01 {
			t.Errorf("%.0f mm: %.1f min, by the series %.1f", mm, got.Minutes(), lo/60)
		}
		if got.Minutes() < 2*last {
			t.Errorf("%.0f mm takes %.1f min, half of it %.1f", mm, got.Minutes(), last)
		}
		last = got.Minutes()
	}
	if _, err := preparing.TwoThirds(food, -3, 4); err == nil {
		t.Error("a piece without thickness is cooked")
	}
}
