package device

import (
	"math"
	"time"
)

// Probe reads a cabinet.
type Probe struct {
	Name       string
	Cabinet    *Cabinet
	Interval   time.Duration
	NoiseK     float64 // standard deviation
	OffsetC    float64 // reads so much too high
	DriftKDay  float64 // and more each day
	Resolution float64 // of what it sends; 0 for 0.01
	Dropped    float64 // share of the readings that never arrive
	Silent     []Span  // sends nothing
	Ahead      time.Duration
	Repeats    time.Duration // sends what it has read in this time with each pack again

	seed  uint64
	begun time.Time
	last  time.Time // of the last reading
	sent  []Reading
}

// Reading is what a probe sends, by its own clock.
type Reading struct {
	Name    string
	At      time.Time
	Celsius float64
}

// Start begins to read after a time.
func (p *Probe) Start(at time.Time) {
	p.last, p.begun = at.Truncate(p.Interval), at
	for _, r := range p.Name {
		p.seed = p.seed*31 + uint64(r)
	}
	p.Cabinet.Start(p.last)
}

// Advance returns what the probe sends up to a time; truth, where not nil, is
// called at each instant of a reading, sent or not.
func (p *Probe) Advance(to time.Time, truth func(at time.Time, airC float64)) []Reading {
	var list []Reading
	for at := p.last.Add(p.Interval); !at.After(to); at = at.Add(p.Interval) {
		air := p.Cabinet.Advance(at)
		p.last = at
		if truth != nil {
			truth(at, air)
		}
		n := at.Unix()
		if in(p.Silent, at) || chance(p.seed, n) < p.Dropped {
			continue
		}
		resolution := p.Resolution
		if resolution == 0 {
			resolution = 0.01
		}
		c := air + p.OffsetC + p.DriftKDay*at.Sub(p.begun).Hours()/24 + p.NoiseK*normal(p.seed+7, n)
		list = append(list, Reading{p.Name, at.Add(p.Ahead), math.Round(c/resolution) * resolution})
	}
	if p.Repeats == 0 || len(list) == 0 {
		return list
	}
	again := append(p.sent, list...)
	for len(again) > 0 && to.Sub(again[0].At.Add(-p.Ahead)) > p.Repeats {
		again = again[1:]
	}
	p.sent = append([]Reading(nil), again...)
	return again
}
