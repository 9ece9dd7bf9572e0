package heat

import (
	"errors"
	"fmt"
	"math"

	"leancatch/internal/core/species"
)

// Handbook values of ice and water.
const (
	// FusionKJ is the latent heat of fusion of water, kJ/kg [ASHRAE-R, chapter 19].
	FusionKJ = 333.6
	// FreezingC is the initial freezing point of fish, °C: measured for cod
	// −0.9 to −1.1. The handbook's table prints −2.2 for several species, which
	// puts far too little ice at −2 °C.
	FreezingC = -1.0
	// boundWater is the water that does not freeze, by mass of protein
	// [ASHRAE-R, chapter 19].
	boundWater = 0.4
)

// The component polynomials of Choi and Okos hold from −40 to 150 °C; fish is
// not kept above ColdestC … HottestC here.
const (
	ColdestC = -60.0
	HottestC = 60.0
	originC  = -40.0 // enthalpy is 0 here
)

// poly is a + b·t + c·t², t in °C.
type poly [3]float64

func (p poly) at(t float64) float64 { return p[0] + t*(p[1]+t*p[2]) }

// component holds the polynomials of one component after
// [Choi&Okos1986], as printed in [ASHRAE-R, chapter 19, tables 1 and 2].
type component struct {
	density, heat, conductivity poly // kg/m³, kJ/(kg·K), W/(m·K)
}

var (
	protein = component{poly{1329.9, -0.51840}, poly{2.0082, 1.2089e-3, -1.3129e-6},
		poly{0.17881, 1.1958e-3, -2.7178e-6}}
	fat = component{poly{925.59, -0.41757}, poly{1.9842, 1.4733e-3, -4.8008e-6},
		poly{0.18071, -2.7604e-4, -1.7749e-7}}
	ash   = component{poly{2423.8, -0.28063}, poly{1.0926, 1.8896e-3, -3.6817e-6}, poly{0.32962, 1.4011e-3, -2.9069e-6}}
	water = component{poly{997.18, 3.1439e-3, -3.7574e-3}, poly{4.1762, -9.0864e-5, 5.4731e-6},
		poly{0.57109, 1.7625e-3, -6.7036e-6}}
	ice = component{poly{916.89, -0.13071}, poly{2.0623, 6.0769e-3}, poly{2.2196, -6.2489e-3, 1.0154e-4}}
	// coldWater is the specific heat of water below 0 °C, not frozen.
	coldWater = poly{4.1289, -5.3062e-3, 9.9516e-4}
)

// Food is fish flesh as the heat sees it.
type Food struct {
	// Composition is taken as printed and normalised to a sum of 1.
	Composition species.Composition
	// FreezingC is the initial freezing point, °C, below 0.
	FreezingC float64
}

// Of returns the flesh of a species, freezing from FreezingC.
func Of(s species.Species) Food { return Food{s.Composition, FreezingC} }

// ErrFood says that a composition or a freezing point makes no sense.
var ErrFood = errors.New(
	"composition must be shares ≥ 0 with some water, and the freezing point between −10 and −0.1 °C")

// Check returns ErrFood unless the food can be computed with.
func (f Food) Check() error {
	c := f.Composition
	for _, x := range []float64{c.Water, c.Protein, c.Fat, c.Ash} {
		if !(x >= 0 && x <= 100) {
			return ErrFood
		}
	}
	if !(c.Water > boundWater*c.Protein) || !(f.FreezingC >= -10 && f.FreezingC <= -0.1) {
		return ErrFood
	}
	return nil
}

// Properties are those of food at one temperature.
type Properties struct {
	DensityKgM3     float64 // kg/m³
	SpecificHeat    float64 // kJ/(kg·K); below the freezing point apparent: the melting of its ice included
	ConductivityWMK float64 // W/(m·K)
	EnthalpyKJ      float64 // kJ/kg, 0 at −40 °C
	IceFraction     float64 // kg/kg
}

// At returns the properties at t °C, for −60 ≤ t ≤ 60. The specific heat and
// the density add up by mass and by volume over the components
// [ASHRAE-R, chapter 19]:
//
//	c = Σ xᵢ·cᵢ − L·dx_ice/dt,  1/ρ = Σ xᵢ/ρᵢ,  x_ice = (x_w − 0.4·x_protein)·(1 − t_f/t)
//
// The conductivity is that of the unfrozen components side by side, and of ice
// with them by Levy's equation [Levy1981], as recommended there.
func (f Food) At(t float64) (Properties, error) {
	if err := f.Check(); err != nil {
		return Properties{}, err
	}
	if !(t >= ColdestC && t <= HottestC) {
		return Properties{}, fmt.Errorf("%.1f °C: the properties hold from %.0f to %.0f °C", t, ColdestC, HottestC)
	}
	m := f.mixture()
	p := m.at(t)
	p.EnthalpyKJ = m.enthalpy(t)
	return p, nil
}

// mixture is a food with normalised shares.
type mixture struct {
	water, protein, fat, ash float64
	freezable, freezing      float64
}

func (f Food) mixture() mixture {
	c := f.Composition
	sum := c.Water + c.Protein + c.Fat + c.Ash
	m := mixture{water: c.Water / sum, protein: c.Protein / sum, fat: c.Fat / sum, ash: c.Ash / sum,
		freezing: f.FreezingC}
	m.freezable = m.water - boundWater*m.protein
	return m
}

// ice is the share of ice and its slope, 1/K.
func (m mixture) ice(t float64) (share, slope float64) {
	if t >= m.freezing {
		return 0, 0
	}
	return m.freezable * (1 - m.freezing/t), m.freezable * m.freezing / (t * t)
}

func (m mixture) at(t float64) Properties {
	frozen, slope := m.ice(t)
	liquid := m.water - frozen
	waterHeat := water.heat
	if t < 0 {
		waterHeat = coldWater
	}
	p := Properties{IceFraction: frozen,
		SpecificHeat: m.protein*protein.heat.at(t) + m.fat*fat.heat.at(t) + m.ash*ash.heat.at(t) +
			liquid*waterHeat.at(t) + frozen*ice.heat.at(t) - FusionKJ*slope}

	var volume, conducted float64 // of all but the ice, by kg of food
	for _, x := range [...]struct {
		share float64
		of    *component
	}{{m.protein, &protein}, {m.fat, &fat}, {m.ash, &ash}, {liquid, &water}} {
		v := x.share / x.of.density.at(t)
		volume += v
		conducted += v * x.of.conductivity.at(t)
	}
	iceVolume := frozen / ice.density.at(t)
	p.DensityKgM3 = 1 / (volume + iceVolume)
	p.ConductivityWMK = levy(ice.conductivity.at(t), conducted/volume, iceVolume/(volume+iceVolume))
	return p
}

// levy is the conductivity of a mixture of two phases, the first with the
// share r of the volume [Levy1981], as in [ASHRAE-R, chapter 19]:
//
//	σ = (Λ−1)² / ((Λ+1)² + Λ/2),  Λ = k₁/k₂
//	F = (a − √(a² − 8r/σ))/2,     a = 2/σ − 1 + 2r
//	k = k₂·(2 + Λ + 2(Λ−1)F) / (2 + Λ − (Λ−1)F)
func levy(k1, k2, r float64) float64 {
	if r <= 0 {
		return k2
	}
	l := k1 / k2
	sigma := (l - 1) * (l - 1) / ((l+1)*(l+1) + l/2)
	a := 2/sigma - 1 + 2*r
	f := (a - math.Sqrt(a*a-8*r/sigma)) / 2
	return k2 * (2 + l + 2*(l-1)*f) / (2 + l - (l-1)*f)
}

// enthalpy is the integral of the specific heat from −40 °C to t, kJ/kg: the
// melting in closed form, the rest by Simpson's rule, in pieces that end where
// the polynomials change.
func (m mixture) enthalpy(t float64) float64 {
	sensible := func(t float64) float64 {
		_, slope := m.ice(t)
		return m.at(t).SpecificHeat + FusionKJ*slope
	}
	low, _ := m.ice(originC)
	high, _ := m.ice(t)
	sum := FusionKJ * (low - high)
	from := originC
	sign := 1.0
	if t < from {
		from, t, sign = t, from, -1
	}
	for _, edge := range [...]float64{m.freezing, 0, t} {
		to := math.Min(math.Max(edge, from), t)
		sum += sign * simpson(sensible, from, to)
		from = to
	}
	return sum
}

func simpson(f func(float64) float64, a, b float64) float64 {
	const n = 32
	if a == b {
		return 0
	}
	h := (b - a) / n
	// The ends lie just inside, on the near side of a step between two polynomials.
	sum := f(a+1e-9*h) + f(b-1e-9*h)
	for i := 1; i < n; i++ {
		sum += f(a+float64(i)*h) * float64(2+2*(i%2))
	}
	return sum * h / 3
}
