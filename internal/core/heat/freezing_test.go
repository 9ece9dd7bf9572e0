package heat

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"leancatch/internal/core/heat/testheat"
	"leancatch/internal/core/species"
)

// Plank's worked example [Singh&Heldman, section
// 7.2]: a sphere of 70 mm in air of −40 °C freezes in
// 0.72 h; and the solver agrees on a stuff that has nothing but its latent heat.
func TestPlanksWorkedExample(t *testing.T) {
	want := testheat.Plank(testheat.Sphere, 0.07, 1000*250e3, 1.2, 50, -1.25, -40) / 3600
	if math.Abs(want-0.72) > 0.005 {
		t.Fatalf("Plank's formula gives %.3f h, the book 0.72 h", want)
	}
	const sensible = 20e3 // J/(m³·K): next to nothing
	material, err := NewMaterial([]Point{{-45, 0, 1.2}, {-1.25, 43.75 * sensible, 1.2},
		{-1.25, 43.75*sensible + 250e6, 1.2}, {20, 43.75*sensible + 250e6 + 21.25*sensible, 1.2}})
	if err != nil {
		t.Fatal(err)
	}
	p := Process{Body: Body{Material: material, Shape: Sphere, Thickness: 0.07}, StartC: -1.25 + 0.01,
		Medium: Steady(-40), H: 50, Cells: 100}
	if got := frozenAt(t, p, -1.3); math.Abs(got/want-1) > 0.02 {
		t.Errorf("the solver: %.3f h, Plank %.3f h", got, want)
	}
}

// Pham's method against the solver, for cod from 10 to −18 °C in the core over
// a grid of 100 cases. The method is good to some 10 % itself.
func TestPhamsMethodOnAGrid(t *testing.T) {
	sp, _ := species.Builtin().Get("cod")
	food := Of(sp)
	material := cod(t)
	warm, cold := at(t, food, 10), at(t, food, -30)
	stuff := testheat.Stuff{Density: cold.DensityKgM3, Conductivity: cold.ConductivityWMK,
		HeatUnfrozen: 1000 * warm.SpecificHeat, HeatFrozen: 2000,
		Latent: 333.6e3 * cold.IceFraction, UnfrozenDensity: warm.DensityKgM3, FreezingC: FreezingC}
	var ratios []float64
	worst := 0.0
	for _, shape := range []Shape{Slab, Cylinder} {
		for _, thickness := range []float64{0.02, 0.04, 0.06, 0.09, 0.12} {
			for _, medium := range []float64{-25, -40} {
				for _, h := range []float64{8, 15, 30, 60, 120} {
					p := Process{Body: Body{Material: material, Shape: shape, Thickness: thickness}, StartC: 10,
						Medium: Steady(medium), H: h}
					body := map[Shape]testheat.Body{Slab: testheat.Slab, Cylinder: testheat.Cylinder}[shape]
					pham := testheat.Pham(body, thickness, h, 10, -18, medium, stuff) / 3600
					ratio := frozenAt(t, p, -18) / pham
					ratios = append(ratios, ratio)
					worst = math.Max(worst, math.Abs(ratio-1))
				}
			}
		}
	}
	sum, squares := 0.0, 0.0
	for _, r := range ratios {
		sum += r
		squares += r * r
	}
	mean := sum / float64(len(ratios))
	spread := math.Sqrt(squares/float64(len(ratios)) - mean*mean)
	t.Logf("%d cases: the solver takes %.3f of Pham's time, standard deviation %.3f, at worst %.1f %% off",
		len(ratios), mean, spread, 100*worst)
	if len(ratios) != 100 || math.Abs(mean-1) > 0.03 || spread > 0.05 || worst > 0.1 {
		t.Errorf("%d cases: mean ratio %.3f, standard deviation %.3f, worst %.3f", len(ratios), mean, spread, worst)
	}
}

// A coefficient is found again from the core it made, through the noise of a
// thermometer.
func TestFitFindsTheCoefficient(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	for _, h := range []float64{7, 20, 95} {
		p := Process{Body: Body{Material: cod(t), Shape: Slab, Thickness: 0.03}, StartC: 4, Medium: Steady(-25), H: h,
			Max: 20 * time.Hour}
		truth, err := p.Run()
		if err != nil {
			t.Fatal(err)
		}
		var core []At
		for _, share := range []float64{0.05, 0.1, 0.2, 0.3, 0.4} {
			since := time.Duration(share * float64(p.Max) * 8 / h)
			core = append(core, At{since, truth.CoreAt(since) + 0.2*r.NormFloat64()})
		}
		got, off, err := p.Fit(core)
		if err != nil || math.Abs(got/h-1) > 0.05 || off > 0.5 {
			t.Errorf("h %v: found %v, off by %v K, %v", h, got, off, err)
		}
	}
	p := Process{Body: Body{Material: cod(t), Shape: Slab, Thickness: 0.03}, StartC: 4, Medium: Steady(-25), H: 10,
		Max: time.Hour}
	if _, _, err := p.Fit(nil); err == nil {
		t.Error("fitted to nothing")
	}
}
