package device

import (
	"math"
	"time"
)

// Hygrometer reads the humidity of a cabinet: about a value that it is set to,
// with a wave over the day, a rise where its door is open, and noise.
type Hygrometer struct {
	Name     string
	RH       float64 // set, a share
	Interval time.Duration
	Dry      []Span  // the humidifier is empty: DryBy less
	DryBy    float64 //
	Wet      []Span  // nothing dries the air: it goes to WetRH
	WetRH    float64

	seed uint64
	last time.Time
}

// True is the humidity at a time.
func (h *Hygrometer) True(at time.Time) float64 {
	rh := h.RH + 0.012*math.Sin(2*math.Pi*float64(at.Unix()%86400)/86400)
	switch {
	case in(h.Wet, at):
		rh = h.WetRH
	case in(h.Dry, at):
		rh -= h.DryBy
	}
	return math.Min(math.Max(rh, 0), 1)
}

// Start begins to read after a time.
func (h *Hygrometer) Start(at time.Time) {
	h.last = at.Truncate(h.Interval)
	for _, r := range h.Name {
		h.seed = h.seed*31 + uint64(r)
	}
}

// Advance returns what it sends up to a time.
func (h *Hygrometer) Advance(to time.Time) []Record {
	var list []Record
	for at := h.last.Add(h.Interval); !at.After(to); at = at.Add(h.Interval) {
		h.last = at
		rh := h.True(at) + 0.006*normal(h.seed+3, at.Unix())
		list = append(list, Record{Name: h.Name, Unit: "%RH", Time: float64(at.Unix()),
			Value: math.Round(1000*math.Min(math.Max(rh, 0), 1)) / 10})
	}
	return list
}
