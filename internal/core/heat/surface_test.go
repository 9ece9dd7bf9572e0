package heat

import (
	"math"
	"testing"
)

func within(t *testing.T, what string, got, want, share float64) {
	t.Helper()
	if !(math.Abs(got/want-1) <= share) {
		t.Errorf("%s = %.5g, want %.5g within %g %%", what, got, want, 100*share)
	}
}

// Churchill and Bernstein's formula worked by hand for Pr = 0.71 at three Reynolds numbers, its factors
// one by one: 0.62·√Re·0.8921/1.1389 = 4.857, 48.57, 153.6; times 1.0056, 1.0981, 1.4002; plus 0.3.
func TestNusseltOfACylinderByHand(t *testing.T) {
	for re, want := range map[float64]float64{100: 5.184, 1e4: 53.63, 1e5: 215.3} {
		within(t, "Nu", nusselt(Cylinder, re, 0.71), want, 0.001)
	}
}

// Dry air at one atmosphere, [Incropera&DeWitt, table A.4].
func TestAirOfTheTable(t *testing.T) {
	for kelvin, want := range map[float64]air{
		250: {conductivity: 0.0223, viscosity: 11.44e-6, prandtl: 0.720},
		300: {conductivity: 0.0263, viscosity: 15.89e-6, prandtl: 0.707},
	} {
		got := airAt(kelvin - 273.15)
		within(t, "conductivity", got.conductivity, want.conductivity, 0.01)
		within(t, "viscosity", got.viscosity, want.viscosity, 0.02)
		within(t, "Prandtl number", got.prandtl, want.prandtl, 0.01)
	}
}

// The convection alone in a blast of 5 m/s at −35 °C that reported freezing times rest on: about 38
// W/(m²·K) on round fish of 50 mm, 26 on those of 125 mm.
func TestCoefficientsInABlast(t *testing.T) {
	for mm, want := range map[float64]float64{50: 38, 125: 26} {
		within(t, "h", ConvectionH(Cylinder, mm/1000, 5, -18), want, 0.1)
	}
}

// Faster air takes more heat, a thicker round piece gives up less of it; and a
// fish of 1 kg comes to the middle of the usual textbook ranges, 6–10 in still air and 15–25 in a fan's.
func TestBoundary(t *testing.T) {
	for _, shape := range Shapes {
		before := 0.0
		for speed := 0.02; speed <= MostMS; speed *= 1.3 {
			h := Boundary{SpeedMS: speed}.Of(shape, 0.05, -20)
			if h < before || shape != Slab && h < (Boundary{SpeedMS: speed}.Of(shape, 0.06, -20)) {
				t.Errorf("%s, %.2f m/s: %.2f W/(m²·K), slower %.2f", shape, speed, h, before)
			}
			before = h
		}
	}
	still, fan := Boundary{SpeedMS: StillMS}.Of(Cylinder, 0.065, 2), Boundary{SpeedMS: FanMS}.Of(Cylinder, 0.065, 2)
	if !(still >= 7.5 && still <= 9 && fan >= 18 && fan <= 21) {
		t.Errorf("a fish of 1 kg: still air %.1f, a fan's %.1f W/(m²·K)", still, fan)
	}
	if got := (Boundary{H: 100, SpeedMS: 5}).Of(Slab, 0.02, 0); got != 100 {
		t.Errorf("a coefficient that is given: %v", got)
	}
	within(t, "behind a packing", Behind(25, 0.04), 12.5, 1e-12)
}
