package coldchain

import (
	"math"
	"slices"
	"time"
)

// Reading is one measured temperature, °C.
type Reading struct {
	At      time.Time
	Celsius float64
}

// Limits are the temperatures (°C, ascending) for which an Exposure counts the
// time above. Stored roll-ups keep their counts in this order: a change here
// needs a rebuild of the roll-up.
var Limits = [...]float64{-20, -18, LowestRated, 2, 3, 3.3, 4, 4.4, 5, 10, 21, 21.1, HighestRated, 30}

// Exposure is what a stretch of known temperatures did. The zero value is the
// exposure of no time at all.
type Exposure struct {
	Covered   time.Duration // time with known temperature
	Temperate float64       // ∫ r dt by the temperate model, days
	Warm      float64       // ∫ r dt by the warm model, days
	Mixed     float64       // ∫ r dt by the mixed model, days
	DegreeDay float64       // ∫ T dt, °C·days
	Min, Max  float64       // °C; meaningless where Covered is 0
	Above     [len(Limits)]time.Duration
}

// IceDays is the integral of the model's rate, in days in melting ice. Where
// BeyondRule is above 0 it is extrapolated.
func (e Exposure) IceDays(m Model) float64 {
	switch m {
	case Warm:
		return e.Warm
	case Mixed:
		return e.Mixed
	}
	return e.Temperate
}

// BeyondRule is the time above 25 °C, for which no rate of spoilage was measured.
func (e Exposure) BeyondRule() time.Duration { return e.above(HighestRated) }

// HoursAbove returns the hours above one of Limits. It panics on another limit.
func (e Exposure) HoursAbove(limit float64) float64 { return e.above(limit).Hours() }

func (e Exposure) above(limit float64) time.Duration {
	i := slices.Index(Limits[:], limit)
	if i < 0 {
		panic("coldchain: time above this temperature is not counted")
	}
	return e.Above[i]
}

// Mean is the mean temperature, °C; NaN where nothing is covered.
func (e Exposure) Mean() float64 { return e.DegreeDay / days(e.Covered) }

// Add returns the exposure of both stretches together.
func (e Exposure) Add(o Exposure) Exposure {
	if o.Covered == 0 {
		return e
	}
	if e.Covered == 0 {
		return o
	}
	e.Min, e.Max = math.Min(e.Min, o.Min), math.Max(e.Max, o.Max)
	e.Covered += o.Covered
	e.Temperate += o.Temperate
	e.Warm += o.Warm
	e.Mixed += o.Mixed
	e.DegreeDay += o.DegreeDay
	for i := range e.Above {
		e.Above[i] += o.Above[i]
	}
	return e
}

// Ramp is the exact exposure of a temperature that runs evenly from a to b °C
// in the time d ≥ 0. The rates are integrated in closed form, piece by piece
// where the line crosses −3 °C, 40 °C and where the two rates are the same.
func Ramp(a, b float64, d time.Duration) Exposure {
	if d <= 0 {
		return Exposure{}
	}
	e := Exposure{Covered: d, Min: math.Min(a, b), Max: math.Max(a, b), DegreeDay: (a + b) / 2 * days(d)}
	for i, limit := range Limits {
		e.Above[i] = time.Duration(shareAbove(a, b, limit) * float64(d))
	}
	at := 0.0 // of the ramp
	for i := range len(bends) + 1 {
		next := 1.0
		if i < len(bends) {
			level := bends[i]
			if b < a {
				level = bends[len(bends)-1-i]
			}
			if next = crossing(a, b, level); next <= at {
				continue
			}
		}
		from, to := rated(a+(b-a)*at), rated(a+(b-a)*next)
		part := (next - at) * days(d)
		temperate, warm := part*rampTemperate(from, to), part*rampWarm(from, to)
		e.Temperate += temperate
		e.Warm += warm
		e.Mixed += math.Max(temperate, warm) // one of them is the larger all along the piece
		at = next
	}
	return e
}

// bends are the temperatures at which a rate changes its form, °C, ascending.
var bends = [...]float64{LowestRated, 0, warmFaster, hottestRated}

// rated is the temperature whose rate counts.
func rated(c float64) float64 { return math.Min(math.Max(c, LowestRated), hottestRated) }

// crossing returns where between a (0) and b (1) an even ramp meets the level;
// 0 where it does not.
func crossing(a, b, level float64) float64 {
	if (a < level) == (b < level) {
		return 0
	}
	return (level - a) / (b - a)
}

// shareAbove returns the share of an even ramp that lies above the level.
func shareAbove(a, b, level float64) float64 {
	switch {
	case a <= level && b <= level:
		return 0
	case a >= level && b >= level:
		return 1
	case b > a:
		return (b - level) / (b - a)
	default:
		return (a - level) / (a - b)
	}
}

func days(d time.Duration) float64 { return d.Hours() / 24 }
