package alarm

import (
	"math"
	"time"

	"leancatch/internal/core/coldchain"
)

// Two instruments in one place that are more than ApartK, K, from each other for longer than ApartFor
// (house): one of them is wrong, or the air stands still.
const (
	ApartK   = 2.0
	ApartFor = 30 * time.Minute
)

// Watched are the readings of one instrument (ascending) and the longest time between two over which
// they make a line.
type Watched struct {
	Readings []coldchain.Reading
	MaxGap   time.Duration
}

// Apart returns the times up to one in which two instruments in one place told too different stories.
// Worst is by how much, K. Where either has no record it ends.
func Apart(a, b Watched, until time.Time) []Episode {
	var all []Episode
	var now *Episode
	end := func(at time.Time, lasts bool) {
		if now != nil && at.Sub(now.Since) >= ApartFor {
			if now.Raised = now.Since.Add(ApartFor); !lasts {
				now.Ended = at
			}
			all = append(all, *now)
		}
		now = nil
	}
	var before time.Time // the last time at which both are known
	for _, x := range together(a, b) {
		switch {
		case math.IsNaN(x.Celsius) || x.Celsius <= ApartK:
			at := x.At
			if math.IsNaN(x.Celsius) {
				at = before
			}
			end(at, false)
		case now == nil:
			now = &Episode{Kind: Disagree, Since: x.At, Worst: x.Celsius, Limit: math.NaN()}
		default:
			now.Worst = math.Max(now.Worst, x.Celsius)
		}
		if !math.IsNaN(x.Celsius) {
			before = x.At
		}
	}
	if until.Sub(before) > max(a.MaxGap, b.MaxGap) {
		end(before, false)
	}
	end(until, true)
	return all
}

// together are the readings' times in order, each with how far the two are apart then, K; NaN where
// one of them has no record.
func together(a, b Watched) []coldchain.Reading {
	var list []coldchain.Reading
	i, j := 0, 0
	for i < len(a.Readings) || j < len(b.Readings) {
		var at time.Time
		switch {
		case j == len(b.Readings) || i < len(a.Readings) && !b.Readings[j].At.Before(a.Readings[i].At):
			at = a.Readings[i].At
		default:
			at = b.Readings[j].At
		}
		list = append(list, coldchain.Reading{At: at, Celsius: math.Abs(a.at(at, i) - b.at(at, j))})
		for i < len(a.Readings) && !a.Readings[i].At.After(at) {
			i++
		}
		for j < len(b.Readings) && !b.Readings[j].At.After(at) {
			j++
		}
	}
	return list
}

// at is what an instrument shows at a time, °C: on the line between two readings, or its last one.
// next is its first reading then or later.
func (w Watched) at(at time.Time, next int) float64 {
	if next < len(w.Readings) && w.Readings[next].At.Equal(at) {
		return w.Readings[next].Celsius
	}
	if next == 0 {
		return math.NaN()
	}
	from := w.Readings[next-1]
	if next == len(w.Readings) {
		if at.Sub(from.At) > w.MaxGap {
			return math.NaN()
		}
		return from.Celsius
	}
	to := w.Readings[next]
	if to.At.Sub(from.At) > w.MaxGap {
		return math.NaN()
	}
	share := float64(at.Sub(from.At)) / float64(to.At.Sub(from.At))
	return from.Celsius + share*(to.Celsius-from.Celsius)
}
