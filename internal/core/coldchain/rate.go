// Package coldchain is the spoilage clock. It turns a history of temperatures
// into fresh days: the days in melting ice that would have spoiled the fish as
// much.
//
// Rates are relative, 1 at 0 °C. An [Exposure] is the exact integral of all
// rate models over a stretch of time, the temperature being linear between
// readings; exposures of adjoining stretches add up, so hours can be rolled up
// and days are sums. A [Source] answers for the temperature over a stretch and
// says where it has no knowledge; [Layers] asks one source after another.
//
//	s := coldchain.Series{Readings: readings, MaxGap: 10 * time.Minute}
//	e, gaps := s.Exposure(from, to)
//	days := e.IceDays(coldchain.Temperate)
package coldchain

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// Model is a relative rate of spoilage as a function of temperature.
type Model string

// The models. A species of unknown or mixed waters is Mixed: it takes the larger of
// the two rates at each temperature.
const (
	Temperate Model = "temperate" // fish of temperate and cold water
	Warm      Model = "warm"      // fish of warm water
	Mixed     Model = "mixed"     // fish of both, or nobody knows
)

// Models lists them.
var Models = []Model{Temperate, Warm, Mixed}

// The rate models hold between these temperatures (°C). Below LowestRated,
// unless the fish is frozen hard, the rate at LowestRated is used and a warning
// is due. Above HighestRated an integral is extrapolated, up to hottestRated, for the hours in which
// fish was not chilled yet; afterwards the safety clocks stop it.
const (
	LowestRated  = -3.0
	HighestRated = 25.0
	hottestRated = 40.0
)

// warmSlope is the d(ln r)/dT of the warm-water model, 1/K [FAO348,
// section 6.2].
const warmSlope = 0.12

// ErrNoRule says that a temperature lies above HighestRated.
var ErrNoRule = errors.New("no spoilage rule above 25 °C")

// ParseModel reads a model's name.
func ParseModel(s string) (Model, error) {
	if m := Model(s); slices.Contains(Models, m) {
		return m, nil
	}
	return "", fmt.Errorf("model %q: must be %q, %q or %q", s, Temperate, Warm, Mixed)
}

// Rate returns the relative rate of spoilage at c °C, 1 at 0 °C:
//
//	temperate: r = (1 + 0.1·T)²     [FAO348, section 6.2]
//	warm:      r = exp(0.12·T)      [FAO348, section 6.2]
//	mixed:     the larger of both: warm below 0 °C and above warmFaster, temperate between
//
// Below −3 °C it is the rate at −3 °C. Above 25 °C it returns ErrNoRule.
func (m Model) Rate(c float64) (float64, error) {
	if c > HighestRated || math.IsNaN(c) {
		return 0, fmt.Errorf("%.1f °C: %w", c, ErrNoRule)
	}
	c = math.Max(c, LowestRated)
	temperate, warm := (1+0.1*c)*(1+0.1*c), math.Exp(warmSlope*c)
	switch m {
	case Warm:
		return warm, nil
	case Mixed:
		return math.Max(temperate, warm), nil
	}
	return temperate, nil
}

// warmFaster is the temperature above 0 °C from which the warm rate is the larger, °C: the root of
// 2·ln(1 + 0.1·T) = 0.12·T.
const warmFaster = 15.790145

// rampTemperate is the mean of (1 + 0.1·T)² while T runs evenly from a to b:
// with u = 1 + 0.1·a and v = 1 + 0.1·b, (u² + u·v + v²)/3.
func rampTemperate(a, b float64) float64 {
	u, v := 1+0.1*a, 1+0.1*b
	return (u*u + u*v + v*v) / 3
}

// rampWarm is the mean of exp(0.12·T) while T runs evenly from a to b:
// exp(0.12·a) · expm1(x)/x with x = 0.12·(b − a).
func rampWarm(a, b float64) float64 {
	x := warmSlope * (b - a)
	if math.Abs(x) < 1e-9 {
		return math.Exp(warmSlope*a) * (1 + x/2)
	}
	return math.Exp(warmSlope*a) * math.Expm1(x) / x
}
