package heat

import (
	"math"
	"time"
)

// constantC is the temperature at which the properties of a time constant are
// taken, °C: that of chilled fish.
const constantC = 3.0

// frozenConstantC is the same for frozen fish.
const frozenConstantC = -20.0

// TimeConstant is how slowly unfrozen food of a shape and full thickness, m,
// follows what surrounds it, at a surface coefficient h > 0, W/(m²·K): after
// the first moments each temperature in it goes to that of the medium as
// exp(−t/τ) with
//
//	τ = R²/(α·ζ²),  α = k/(ρ·c),  R half the thickness,  Bi = h·R/k
//
// ζ being the first root of ζ·tan ζ = Bi (slab), ζ·J₁(ζ)/J₀(ζ) = Bi (cylinder)
// or 1 − ζ·cot ζ = Bi (sphere), the first term of Fourier's series
// [Incropera&DeWitt, section 5.5]. The error is ErrFood or an ErrProcess.
func TimeConstant(f Food, shape Shape, thickness, h float64) (time.Duration, error) {
	return timeConstant(f, constantC, shape, thickness, h)
}

// FrozenTimeConstant is the same of food that is frozen hard.
func FrozenTimeConstant(f Food, shape Shape, thickness, h float64) (time.Duration, error) {
	return timeConstant(f, frozenConstantC, shape, thickness, h)
}

func timeConstant(f Food, celsius float64, shape Shape, thickness, h float64) (time.Duration, error) {
	p, err := f.At(celsius)
	if err != nil {
		return 0, err
	}
	if !(thickness >= 0.001 && thickness <= 2) || !(h > 0) {
		return 0, ErrProcess
	}
	r := thickness / 2
	zeta := firstRoot(shape, h*r/p.ConductivityWMK)
	alpha := p.ConductivityWMK / (p.DensityKgM3 * p.SpecificHeat * 1000)
	return time.Duration(r * r / (alpha * zeta * zeta) * float64(time.Second)), nil
}

// firstRoot finds ζ by bisection: each left side rises from 0 to beyond any Bi
// between 0 and the pole.
func firstRoot(shape Shape, bi float64) float64 {
	rest, pole := func(z float64) float64 { return z*math.Sin(z) - bi*math.Cos(z) }, math.Pi/2
	switch shape {
	case Cylinder:
		// the first zero of J₀
		rest, pole = func(z float64) float64 { return z*math.J1(z) - bi*math.J0(z) }, 2.404825557695773
	case Sphere:
		rest, pole = func(z float64) float64 { return (1-bi)*math.Sin(z) - z*math.Cos(z) }, math.Pi
	}
	lo, hi := 0.0, pole
	for range 60 {
		if mid := (lo + hi) / 2; rest(mid) < 0 {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}
