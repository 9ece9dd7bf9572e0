// Package ageing is dry ageing: how fish loses water in moving air, what its
// weigh-ins say of its own pace, when it reaches a loss, what stops it, and
// which fish may begin at all. The numbers are common practice without a source
// where nothing else is said.
package ageing

import (
	"math"
	"time"
)

// Air is the air of a cabinet from a time on.
type Air struct {
	At      time.Time
	Celsius float64
	RH      float64 // relative humidity, 0 to 1
}

// SaturationKPa is the pressure of saturated water vapour over water at a
// temperature, kPa:
//
//	p_s = 0.61094 · exp(17.625·T / (T + 243.04))
//
// T in °C, −40 to 50 [Alduchov1996, equation 21].
func SaturationKPa(celsius float64) float64 {
	return 0.61094 * math.Exp(17.625*celsius/(celsius+243.04))
}

// VPD is the vapour pressure deficit of air, kPa: what drives the drying.
func VPD(celsius, rh float64) float64 {
	return SaturationKPa(celsius) * (1 - math.Min(math.Max(rh, 0), 1))
}

// The reference: fish of 3 kg in air of 2 °C and 80 % (house).
const (
	ReferenceKg = 3.0
	ReferenceC  = 2.0
	ReferenceRH = 0.80
)

// Pace is how fast air dries against the reference: 1 there.
func (a Air) Pace() float64 { return VPD(a.Celsius, a.RH) / VPD(ReferenceC, ReferenceRH) }

// longestHeld is how long an hour's air stands for the time after it where
// nothing was measured.
const longestHeld = 3 * time.Hour

// Climate is the air of a cabinet over time.
type Climate struct {
	Air []Air // measured, in the order of time; each holds to the next, but no longer than longestHeld
	Set Air   // assumed elsewhere
}

// end is how long the i-th measured air holds.
func (c Climate) end(i int) time.Time {
	end := c.Air[i].At.Add(longestHeld)
	if i+1 < len(c.Air) && c.Air[i+1].At.Before(end) {
		return c.Air[i+1].At
	}
	return end
}

// Dried is how long a fish has dried from one time to another, in days of the
// reference: ∫ VPD/VPD_ref dt. It is 0 where from is not before to.
func (c Climate) Dried(from, to time.Time) float64 {
	if !from.Before(to) {
		return 0
	}
	days := 0.0
	add := func(a, b time.Time, air Air) {
		if a.Before(from) {
			a = from
		}
		if b.After(to) {
			b = to
		}
		if a.Before(b) {
			days += b.Sub(a).Hours() / 24 * air.Pace()
		}
	}
	at := from
	for i, air := range c.Air {
		end := c.end(i)
		if air.At.After(at) {
			add(at, air.At, c.Set)
		}
		add(air.At, end, air)
		if end.After(at) {
			at = end
		}
	}
	add(at, to, c.Set)
	return days
}

// Mean is the air on the average of a span, weighted by time; Set where nothing
// of it was measured.
func (c Climate) Mean(from, to time.Time) Air {
	var celsius, rh, hours float64
	for i, air := range c.Air {
		begin, end := air.At, c.end(i)
		if begin.Before(from) {
			begin = from
		}
		if end.After(to) {
			end = to
		}
		if h := end.Sub(begin).Hours(); h > 0 {
			celsius, rh, hours = celsius+h*air.Celsius, rh+h*air.RH, hours+h
		}
	}
	if hours == 0 {
		return c.Set
	}
	return Air{At: from, Celsius: celsius / hours, RH: rh / hours}
}
