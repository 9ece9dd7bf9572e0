package heat

import "math"

// Boundary is how heat passes between a piece and what is around it: by a coefficient, or in air
// by its speed and the size of the piece. The zero Boundary passes none.
type Boundary struct {
	H       float64 // coefficient, W/(m²·K); 0 where air moves around the piece
	SpeedMS float64 // of the air, m/s
}

// Air speeds of rooms whose own nobody measured, m/s (house: with them a round fish of 1 kg comes
// to the middle of the usual textbook coefficients, 6–10 W/(m²·K) in still air and 15–25 in that of a fan).
const (
	StillMS = 0.1
	FanMS   = 2.0
	BlastMS = 5.0
)

// MostMS is the highest air speed that the correlations here are used for, m/s.
const MostMS = 20.0

// radiationH is what the walls of a still room add, W/(m²·K) (house).
const radiationH = 4.0

// Of is the coefficient for a piece of a full thickness or diameter, m, in a medium, °C, in W/(m²·K):
// H where it is given; else that of ConvectionH at the film temperature between the medium and flesh
// that freezes, and never less than in a still room.
func (b Boundary) Of(shape Shape, thickness, mediumC float64) float64 {
	switch {
	case b.H > 0:
		return b.H
	case b.SpeedMS <= 0:
		return 0
	}
	film := (mediumC + FreezingC) / 2
	return math.Max(ConvectionH(shape, thickness, b.SpeedMS, film),
		ConvectionH(shape, thickness, StillMS, film)+radiationH)
}

// Behind is a coefficient behind layers that resist the heat, W/(m²·K): 1/h = 1/h_surface + R, with R
// in m²·K/W.
func Behind(h, resistance float64) float64 { return 1 / (1/h + resistance) }

// ConvectionH is the mean coefficient of forced convection from a piece of a full thickness or
// diameter, m, to air of a speed, m/s, and a film temperature, °C, in W/(m²·K). With Re = u·L/ν:
//
//	cylinder, L its diameter, across the flow [ChurchillBernstein]:
//	  Nu = 0.3 + 0.62·Re^½·Pr^⅓ / (1 + (0.4/Pr)^⅔)^¼ · (1 + (Re/282000)^⅝)^⅘
//	slab, L along the flow, platesLong thicknesses (house); the usual textbook correlation of a
//	flat plate, mixed from Re = 5·10⁵ on:
//	  Nu = 0.664·Re^½·Pr^⅓,   Nu = (0.037·Re^⅘ − 871)·Pr^⅓
//	sphere, L its diameter [Whitaker1972], viscosities at the surface and in the air taken as equal:
//	  Nu = 2 + (0.4·Re^½ + 0.06·Re^⅔)·Pr^⅖
//
// It is for speeds up to MostMS and Re·Pr above 0.2.
func ConvectionH(shape Shape, thickness, speedMS, filmC float64) float64 {
	air := airAt(filmC)
	length := thickness
	if shape == Slab {
		length *= platesLong
	}
	re, pr := speedMS*length/air.viscosity, air.prandtl
	return nusselt(shape, re, pr) * air.conductivity / length
}

// platesLong is how many times its thickness a slab of fish is long, along the flow (house).
const platesLong = 6.0

// turbulentRe is where the flow along a flat plate becomes turbulent.
const turbulentRe = 5e5

func nusselt(shape Shape, re, pr float64) float64 {
	switch shape {
	case Slab:
		if re < turbulentRe {
			return 0.664 * math.Sqrt(re) * math.Cbrt(pr)
		}
		return (0.037*math.Pow(re, 0.8) - 871) * math.Cbrt(pr)
	case Sphere:
		return 2 + (0.4*math.Sqrt(re)+0.06*math.Pow(re, 2.0/3))*math.Pow(pr, 0.4)
	}
	return 0.3 + 0.62*math.Sqrt(re)*math.Cbrt(pr)/math.Pow(1+math.Pow(0.4/pr, 2.0/3), 0.25)*
		math.Pow(1+math.Pow(re/282000, 0.625), 0.8)
}

// air is what the correlations need of dry air at one atmosphere.
type air struct {
	conductivity float64 // W/(m·K)
	viscosity    float64 // kinematic, m²/s
	prandtl      float64
}

// airAt is dry air at a temperature, °C: viscosity and conductivity by Sutherland's law with the
// constants of [White], density as of an ideal gas, cp = 1006 J/(kg·K).
func airAt(celsius float64) air {
	const (
		zeroK    = 273.15
		pressure = 101325.0 // Pa
		gas      = 287.05   // J/(kg·K)
		cp       = 1006.0
	)
	kelvin := celsius + zeroK
	sutherland := func(at0, s float64) float64 {
		return at0 * math.Pow(kelvin/zeroK, 1.5) * (zeroK + s) / (kelvin + s)
	}
	mu, k := sutherland(1.716e-5, 110.4), sutherland(0.0241, 194)
	return air{conductivity: k, viscosity: mu * gas * kelvin / pressure, prandtl: cp * mu / k}
}
