package heat

import (
	"math"
	"testing"
	"time"

	"leancatch/internal/core/species"
)

// The time constant is the rate at which the solver's core goes to its medium,
// once the first moments are over: the same physics by another way.
func TestTimeConstantIsTheSolversRate(t *testing.T) {
	for _, id := range []string{"cod", "mackerel"} {
		sp, _ := species.Builtin().Get(id)
		material, err := Of(sp).Material()
		if err != nil {
			t.Fatal(err)
		}
		for _, shape := range Shapes {
			for _, h := range []float64{8, 20, 100} {
				tau, err := TimeConstant(Of(sp), shape, 0.06, h)
				if err != nil {
					t.Fatal(err)
				}
				r, err := Process{Body: Body{Material: material, Shape: shape, Thickness: 0.06}, StartC: 6,
					Medium: Steady(1), H: h, Max: 24 * time.Hour,
					Goals: []Goal{{Core, AtMost, 3}, {Core, AtMost, 3 - 2*(1-math.Exp(-1))}}}.Run()
				if err != nil {
					t.Fatal(err)
				}
				// From 2 K above the medium to 2/e K: one time constant.
				if got := r.Reached[1] - r.Reached[0]; math.Abs(got.Hours()/tau.Hours()-1) > 0.03 {
					t.Errorf("%s, %s, h %.0f: the solver takes %s, the constant is %s", id, shape, h, got, tau)
				}
			}
		}
	}
}

func TestTimeConstantRefusesNonsense(t *testing.T) {
	sp, _ := species.Builtin().Get("cod")
	for _, c := range []struct{ thickness, h float64 }{{0, 20}, {3, 20}, {0.05, 0}, {0.05, math.NaN()}} {
		if _, err := TimeConstant(Of(sp), Slab, c.thickness, c.h); err == nil {
			t.Errorf("thickness %v, h %v: no error", c.thickness, c.h)
		}
	}
}
