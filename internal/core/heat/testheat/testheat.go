// Package testheat holds problems of heat flow with known exact answers.
package testheat

import "math"

// Body is one of the shapes of Fourier's problem.
type Body int

// The shapes.
const (
	Slab Body = iota
	Cylinder
	Sphere
)

// Fourier returns the temperature, as a share of the first difference to the
// medium, of a body of constant properties that is put into a medium: at the
// share x of the way from the middle (0) to the surface (1), at the Fourier
// number fo = α·t/R² > 0, for the Biot number bi = h·R/k, R being half the
// thickness:
//
//	slab:     Σ 4·sin ζ/(2ζ + sin 2ζ) · cos(ζx) · exp(−ζ²·Fo),               ζ·tan ζ = Bi
//	cylinder: Σ 2/ζ · J₁(ζ)/(J₀²(ζ) + J₁²(ζ)) · J₀(ζx) · exp(−ζ²·Fo),        ζ·J₁(ζ)/J₀(ζ) = Bi
//	sphere:   Σ 4·(sin ζ − ζ·cos ζ)/(2ζ − sin 2ζ) · sin(ζx)/(ζx) · exp(−ζ²·Fo), 1 − ζ·cot ζ = Bi
//
// [Incropera&DeWitt, sections 5.5 and 5.6].
func Fourier(b Body, bi, fo, x float64) float64 {
	sum := 0.0
	for n := range 60 {
		z := root(b, bi, n)
		term := coefficient(b, z) * shape(b, z*x) * math.Exp(-z*z*fo)
		sum += term
		if z*z*fo > 60 {
			break
		}
	}
	return sum
}

func coefficient(b Body, z float64) float64 {
	switch b {
	case Cylinder:
		return 2 / z * math.J1(z) / (math.J0(z)*math.J0(z) + math.J1(z)*math.J1(z))
	case Sphere:
		return 4 * (math.Sin(z) - z*math.Cos(z)) / (2*z - math.Sin(2*z))
	}
	return 4 * math.Sin(z) / (2*z + math.Sin(2*z))
}

func shape(b Body, zx float64) float64 {
	switch {
	case b == Cylinder:
		return math.J0(zx)
	case b == Sphere && zx == 0:
		return 1
	case b == Sphere:
		return math.Sin(zx) / zx
	}
	return math.Cos(zx)
}

// root is the n-th positive root of the shape's equation, by bisection between
// the two poles around it.
func root(b Body, bi float64, n int) float64 {
	lo, hi := float64(n)*math.Pi, (float64(n)+0.5)*math.Pi
	f := func(z float64) float64 { return z*math.Sin(z) - bi*math.Cos(z) }
	switch b {
	case Cylinder: // one root in each half-wave of J₀
		if n > 0 {
			lo = zeroJ0(n - 1)
		}
		hi = zeroJ0(n)
		f = func(z float64) float64 { return z*math.J1(z) - bi*math.J0(z) }
	case Sphere:
		hi = float64(n+1) * math.Pi
		f = func(z float64) float64 { return (1-bi)*math.Sin(z) - z*math.Cos(z) }
		if n == 0 {
			lo = 1e-6
		}
	}
	return bisect(f, lo, hi)
}

// zeroJ0 is the n-th zero of J₀.
func zeroJ0(n int) float64 {
	guess := (float64(n) + 0.75) * math.Pi
	return bisect(math.J0, guess-0.6, guess+0.6)
}

func bisect(f func(float64) float64, lo, hi float64) float64 {
	sign := f(lo + 1e-12)
	for range 200 {
		mid := (lo + hi) / 2
		if (f(mid) < 0) == (sign < 0) {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// Phase is one side of a melting front.
type Phase struct {
	Conductivity, Heat float64 // W/(m·K); volumetric heat capacity, J/(m³·K)
}

func (p Phase) diffusivity() float64 { return p.Conductivity / p.Heat }

// Neumann is the exact solution of a half space that freezes from its surface.
type Neumann struct {
	Frozen, Liquid          Phase
	Latent                  float64 // J/m³
	StartC, MeltC, SurfaceC float64
	lambda                  float64
}

// Solve finds the front's constant λ:
//
//	exp(−λ²)/erf λ + k_l/k_s·√(α_s/α_l)·(T_m−T₀)/(T_m−T_s)·exp(−λ²α_s/α_l)/erfc(λ√(α_s/α_l)) = λ·L·√π/(c_s·(T_m−T_s))
//
// (both sides with the signs of a body that is cooled;
// [Carslaw&Jaeger, section 11.2]).
func (p *Neumann) Solve() {
	ratio := math.Sqrt(p.Frozen.diffusivity() / p.Liquid.diffusivity())
	under := p.MeltC - p.SurfaceC
	f := func(l float64) float64 {
		return math.Exp(-l*l)/math.Erf(l) -
			p.Liquid.Conductivity/p.Frozen.Conductivity*ratio*(p.StartC-p.MeltC)/under*math.Exp(
				-l*l*ratio*ratio)/math.Erfc(l*ratio) -
			l*p.Latent*math.Sqrt(math.Pi)/(p.Frozen.Heat*under)
	}
	p.lambda = bisect(f, 1e-6, 5)
}

// Front is how deep the front is after t seconds, m.
func (p *Neumann) Front(t float64) float64 {
	return 2 * p.lambda * math.Sqrt(p.Frozen.diffusivity()*t)
}

// At is the temperature at the depth y after t seconds, °C.
func (p *Neumann) At(y, t float64) float64 {
	if y < p.Front(t) {
		scale := 2 * math.Sqrt(p.Frozen.diffusivity()*t)
		return p.SurfaceC + (p.MeltC-p.SurfaceC)*math.Erf(y/scale)/math.Erf(p.lambda)
	}
	scale := 2 * math.Sqrt(p.Liquid.diffusivity()*t)
	ratio := math.Sqrt(p.Frozen.diffusivity() / p.Liquid.diffusivity())
	return p.StartC - (p.StartC-p.MeltC)*math.Erfc(y/scale)/math.Erfc(p.lambda*ratio)
}

// Plank is the time in which a body at its freezing point freezes, s
// after [Plank1913], as in
// [Singh&Heldman, section 7.2]:
//
//	t = ρ·L/(T_f − T_a)·(P·a/h + R·a²/k)
//
// with the full thickness a, m, latent heat of the whole body, J/m³, and P, R of
// the shape: 1/2 and 1/8, 1/4 and 1/16, 1/6 and 1/24.
func Plank(b Body, thickness, latent, conductivity, h, freezingC, mediumC float64) float64 {
	p := map[Body]float64{Slab: 1. / 2, Cylinder: 1. / 4, Sphere: 1. / 6}[b]
	return latent / (freezingC - mediumC) * (p*thickness/h + p/4*thickness*thickness/conductivity)
}

// Stuff is what Pham's method knows of a food.
type Stuff struct {
	Density, Conductivity      float64 // frozen: kg/m³, W/(m·K)
	HeatUnfrozen, HeatFrozen   float64 // J/(kg·K)
	Latent                     float64 // J/kg
	UnfrozenDensity, FreezingC float64
}

// Pham is the time in which a core goes from startC to endC, s after
// [Pham1984], as in [Singh&Heldman, section 7.3]:
//
//	t = R/(E·h)·(ΔH₁/ΔT₁ + ΔH₂/ΔT₂)·(1 + Bi/2)
//	ΔH₁ = ρ_u·c_u·(T_i − T_fm),  ΔH₂ = ρ_f·(L + c_f·(T_fm − T_c)),  T_fm = 1.8 + 0.263·T_c + 0.105·T_a
//	ΔT₁ = (T_i + T_fm)/2 − T_a,  ΔT₂ = T_fm − T_a
//
// with R half the thickness and E = 1, 2, 3 of the shape. He found it within
// some 10 % of what was measured.
func Pham(b Body, thickness, h, startC, endC, mediumC float64, s Stuff) float64 {
	mean := 1.8 + 0.263*endC + 0.105*mediumC
	h1 := s.UnfrozenDensity * s.HeatUnfrozen * (startC - mean)
	h2 := s.Density * (s.Latent + s.HeatFrozen*(mean-endC))
	r := thickness / 2
	e := map[Body]float64{Slab: 1, Cylinder: 2, Sphere: 3}[b]
	return r / (e * h) * (h1/((startC+mean)/2-mediumC) + h2/(mean-mediumC)) * (1 + h*r/s.Conductivity/2)
}
