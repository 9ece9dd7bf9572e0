package icing

import (
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
)

// Kind says what an entry in the log of a box's ice is.
type Kind string

// The kinds of entry.
const (
	Found  Kind = "found"  // so much ice was in the box when somebody looked; 0 for none
	Added  Kind = "added"  // so much was put in
	Melted Kind = "melted" // so much warm fish will melt, reckoned when it was put in
	Seen   Kind = "seen"   // there was ice around the fish, nobody says how much
)

// Entry is one line of the log.
type Entry struct {
	At   time.Time
	Kind Kind
	Kg   float64
}

// Forecast is the ice in a box from its log.
type Forecast struct {
	MeltPerHour float64          // kg/h, against the air outside
	Full        float64          // after the last filling, kg
	Since       time.Time        // of the last filling; zero where the log is empty
	RunsOut     time.Time        // when the last of it melts; zero where there is none, far off where none melts
	TopUp       time.Time        // when to top up; zero where there is none
	Iced        []coldchain.Span // when there was, and will be, ice, in order
	fills       []coldchain.Span // from one entry to the next
	left        []float64        // at the beginning of each, kg
	sightings   []Sighting
}

// Sighting is a moment at which somebody saw whether there was ice.
type Sighting struct {
	At      time.Time
	Ice     bool
	RunsOut time.Time // by the forecast, if nobody adds any
}

// Looks are the looks at the ice around the fish of a place that is no box, out of its log.
func Looks(log []Entry) []Sighting {
	var seen []Sighting
	for _, e := range log {
		if e.Kind == Seen {
			seen = append(seen, Sighting{e.At, true, e.At.Add(lasting)})
		}
	}
	slices.SortStableFunc(seen, func(a, b Sighting) int { return a.At.Compare(b.At) })
	return seen
}

// Sightings lists them, in order.
func (f Forecast) Sightings() []Sighting { return f.sightings }

// When to top up (house): while a quarter of the last filling is left, and an
// hour before it runs out at the latest.
const (
	topUpShare  = 0.25
	topUpBefore = time.Hour
)

// lasting stands for ice that does not melt.
const lasting = 365 * 24 * time.Hour

// Predict reads the log of a box: from each entry on the ice melts by
// MeltPerHour until the next, or until it is gone. Entries need not be in
// order.
func Predict(b Box, outsideC float64, log []Entry) Forecast {
	f := Forecast{MeltPerHour: b.MeltPerHour(outsideC)}
	log = slices.Clone(log)
	slices.SortStableFunc(log, func(a, b Entry) int { return a.At.Compare(b.At) })
	left := 0.0
	for i, e := range log {
		if i > 0 {
			left = math.Max(0, left-f.MeltPerHour*e.At.Sub(log[i-1].At).Hours())
		}
		switch e.Kind {
		case Found:
			left = e.Kg
		case Added:
			left += e.Kg
		case Melted:
			left = math.Max(0, left-e.Kg)
		}
		if e.Kind == Found || e.Kind == Added {
			f.Full, f.Since = left, e.At
		}
		end := e.At.Add(lasts(left, f.MeltPerHour))
		if i+1 < len(log) && log[i+1].At.Before(end) {
			end = log[i+1].At
		}
		f.fills, f.left = append(f.fills, coldchain.Span{From: e.At, To: end}), append(f.left, left)
		if left > 0 {
			f.iced(coldchain.Span{From: e.At, To: end})
		}
		switch {
		case e.Kind == Seen && left == 0: // more than the forecast knew of
			f.sightings = append(f.sightings, Sighting{e.At, true, e.At.Add(lasting)})
		case e.Kind != Melted:
			f.sightings = append(f.sightings, Sighting{e.At, left > 0, e.At.Add(lasts(left, f.MeltPerHour))})
		}
		f.RunsOut, f.TopUp = time.Time{}, time.Time{}
		if left > 0 {
			f.RunsOut = e.At.Add(lasts(left, f.MeltPerHour))
			f.TopUp = earlier(e.At.Add(lasts(math.Max(0, left-topUpShare*f.Full), f.MeltPerHour)),
				f.RunsOut.Add(-topUpBefore))
		}
	}
	return f
}

func lasts(kg, perHour float64) time.Duration {
	if kg <= 0 {
		return 0
	}
	hours := kg / perHour
	if !(hours < lasting.Hours()) {
		return lasting
	}
	return time.Duration(hours * float64(time.Hour))
}

func earlier(a, b time.Time) time.Time {
	if b.Before(a) {
		return b
	}
	return a
}

// iced adds a span of ice, joined to the one before where they touch.
func (f *Forecast) iced(s coldchain.Span) {
	if n := len(f.Iced); n > 0 && f.Iced[n-1].To.Equal(s.From) {
		f.Iced[n-1].To = s.To
		return
	}
	f.Iced = append(f.Iced, s)
}

// Left is the ice in the box at a time, kg.
func (f Forecast) Left(at time.Time) float64 {
	for i := len(f.fills) - 1; i >= 0; i-- {
		if !at.Before(f.fills[i].From) {
			return math.Max(0, f.left[i]-f.MeltPerHour*at.Sub(f.fills[i].From).Hours())
		}
	}
	return 0
}
