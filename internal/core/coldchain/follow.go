package coldchain

import (
	"math"
	"time"
)

// Step is a stretch of time in which the surroundings of a body have one
// temperature, °C, and the body follows them with a time constant; at once
// where that is 0.
type Step struct {
	Span
	Celsius     float64
	Tau         time.Duration
	Warming     time.Duration // in place of Tau where they are warmer than the body; 0 for Tau
	WarmsAtOnce bool          // the body is never colder than they are
}

// followOff is how far the straight pieces that stand for the body's curve may
// be off it, K.
const followOff = 0.02

// Follow is the temperature of a body of thermal mass in surroundings that
// change, lumped into one temperature T:
//
//	τ·dT/dt = T_around − T
//
// From startC at the beginning of the first step it goes through the steps, in
// the order of time and without a gap; where the body itself was measured
// (known, ascending) it goes on from there. It returns points between which
// the temperature runs straight; two points of one time are a jump.
func Follow(startC float64, steps []Step, known []Reading) []Reading {
	points := make([]Reading, 0, 2*(len(steps)+len(known))+1)
	now := startC
	put := func(at time.Time, c float64) {
		now = c
		if n := len(points); n == 0 || !points[n-1].At.Equal(at) || points[n-1].Celsius != c {
			points = append(points, Reading{at, c})
		}
	}
	for i, s := range steps {
		at := s.From
		if i == 0 {
			put(at, startC)
		}
		for len(known) > 0 && known[0].At.Before(s.To) {
			if x := known[0]; !x.At.Before(at) {
				s.follow(at, x.At, now, put)
				put(x.At, x.Celsius)
				at = x.At
			}
			known = known[1:]
		}
		s.follow(at, s.To, now, put)
	}
	return points
}

// follow lets the body go from a temperature through a part of the step.
func (s Step) follow(from, to time.Time, c float64, put func(time.Time, float64)) {
	d := to.Sub(from)
	if d <= 0 {
		return
	}
	apart, tau := c-s.Celsius, s.Tau
	if apart < 0 && s.Warming > 0 {
		tau = s.Warming
	}
	if tau <= 0 || apart <= 0 && s.WarmsAtOnce {
		put(from, s.Celsius)
		put(to, s.Celsius)
		return
	}
	// a chord of x time constants leaves c·e^(−t/τ) by at most c·x²/8
	x := d.Seconds() / tau.Seconds()
	parts := max(1, int(math.Ceil(x*math.Sqrt(math.Abs(apart)/(8*followOff)))))
	for i := 1; i <= parts; i++ {
		after := time.Duration(float64(d) * float64(i) / float64(parts))
		put(from.Add(after), s.Celsius+apart*math.Exp(-after.Seconds()/tau.Seconds()))
	}
}
