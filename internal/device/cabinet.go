// Package device simulates what stands in a kitchen and measures: cold cabinets
// with their probes, a thermometer in the hand, a scale. A [Cabinet] is a small
// thermal model that knows the truth; its [Probe] reads it as probes do, with
// noise, drift, gaps and a clock of its own; a [Client] sends what was read to
// the application by the same way as real devices.
//
// All chance comes from the seed and the time, so that a simulation that begins
// anew goes on as the one before would have.
package device

import (
	"math"
	"time"
)

// Cabinet is a cold place of two lumps: its air, which is quick, and its walls
// and shelves, which are slow:
//
//	dT_air/dt   = (T_wall − T_air)/τ_air + (T_out − T_air)/τ_door·[open] − cooling·[on] + heating·[defrost]
//	dT_wall/dt  = (T_air − T_wall)/τ_wall + (T_out − T_wall)/τ_leak
//
// The compressor is switched by the air at SetC ± Differential.
type Cabinet struct {
	Seed         uint64
	SetC         float64
	OutsideC     float64
	Differential float64 // K
	CoolingKH    float64 // by the compressor, K/h of the air
	Doors        float64 // openings an hour while people work; none at night
	DefrostEvery time.Duration
	Failures     []Span // the defrosting hangs: no compressor, and the heater on
	Ajar         []Span // the door is not quite shut
	Fish         *Fish  // that lies in it; nil for none

	at        time.Time
	air, wall float64
	on        bool
}

// Span is a time from … to.
type Span struct{ From, To time.Time }

// In reports whether the span holds a time.
func (s Span) In(at time.Time) bool { return !at.Before(s.From) && at.Before(s.To) }

func in(spans []Span, at time.Time) bool {
	for _, s := range spans {
		if s.In(at) {
			return true
		}
	}
	return false
}

// Time constants of a cabinet, h, and its defrosting.
const (
	tauAir, tauWall, tauLeak, tauDoor = 0.18, 1.1, 30.0, 0.15
	defrostFor                        = 12 * time.Minute
	heatingKH                         = 14.0
	step                              = 10 * time.Second
	// doorOpen is how long a door stays open each time.
	doorOpen = 40 * time.Second
)

// WalkIn, Drawer and Freezer are cabinets as they are usual.
func WalkIn(seed uint64) *Cabinet {
	return &Cabinet{Seed: seed, SetC: 1, OutsideC: 19, Differential: 0.6, CoolingKH: 34, Doors: 7,
		DefrostEvery: 8 * time.Hour}
}

// Drawer is a drawer of a counter.
func Drawer(seed uint64) *Cabinet {
	return &Cabinet{Seed: seed, SetC: 0.4, OutsideC: 21, Differential: 0.4, CoolingKH: 30, Doors: 4}
}

// Freezer is a chest or a walk-in.
func Freezer(seed uint64) *Cabinet {
	return &Cabinet{Seed: seed, SetC: -24, OutsideC: 19, Differential: 0.8, CoolingKH: 90, Doors: 2,
		DefrostEvery: 12 * time.Hour}
}

// AgeingCabinet is a cabinet for dry ageing.
func AgeingCabinet(seed uint64) *Cabinet {
	return &Cabinet{Seed: seed, SetC: 1.5, OutsideC: 19, Differential: 0.2, CoolingKH: 24, Doors: 1}
}

// Start sets the cabinet to a time, at its set temperature.
func (c *Cabinet) Start(at time.Time) {
	c.at, c.air, c.wall, c.on = at, c.SetC, c.SetC+0.3, false
	if c.Fish != nil {
		c.Fish.start()
	}
}

// Advance goes on to a time and returns the true temperature of the air, °C.
func (c *Cabinet) Advance(to time.Time) float64 {
	dt := step.Hours()
	for c.at.Before(to) {
		switch failed := in(c.Failures, c.at); {
		case failed || c.defrosting():
			c.on = false
		case c.air > c.SetC+c.Differential:
			c.on = true
		case c.air < c.SetC-c.Differential:
			c.on = false
		}
		air := (c.wall - c.air) / tauAir
		if c.open() {
			air += (c.OutsideC - c.air) / tauDoor
		}
		if in(c.Ajar, c.at) {
			air += (c.OutsideC - c.air) / (8 * tauDoor)
		}
		if c.on {
			air -= c.CoolingKH
		}
		if c.defrosting() || in(c.Failures, c.at) {
			air += heatingKH
		}
		wall := (c.air-c.wall)/tauWall + (c.OutsideC-c.wall)/tauLeak
		c.air, c.wall = c.air+air*dt, c.wall+wall*dt
		if c.Fish != nil {
			c.Fish.advance(c.air, step.Seconds())
		}
		c.at = c.at.Add(step)
	}
	return c.air
}

func (c *Cabinet) defrosting() bool {
	return c.DefrostEvery > 0 && time.Duration(c.at.UnixNano())%c.DefrostEvery < defrostFor
}

// open reports whether somebody has the door open: at some minutes of the hours
// of work, for doorOpen.
func (c *Cabinet) open() bool {
	hour := c.at.UTC().Hour()
	if hour < 5 || hour > 20 {
		return false
	}
	minute := c.at.Unix() / 60
	return chance(c.Seed, minute) < c.Doors/60 && time.Duration(c.at.Unix()%60)*time.Second < doorOpen
}

// chance is a number from 0 to 1 that is the same for the same seed and n.
func chance(seed uint64, n int64) float64 {
	x := seed*0x9E3779B97F4A7C15 + uint64(n)
	x ^= x >> 30
	x *= 0xBF58476D1CE4E5B9
	x ^= x >> 27
	x *= 0x94D049BB133111EB
	x ^= x >> 31
	return float64(x>>11) / (1 << 53)
}

// normal is a number of the standard normal distribution, by Box and Muller.
func normal(seed uint64, n int64) float64 {
	return math.Sqrt(-2*math.Log(1-chance(seed, n))) * math.Cos(2*math.Pi*chance(seed+1, n))
}
