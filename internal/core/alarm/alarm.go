// Package alarm reads a probe's readings as somebody would who watched them all
// night: too warm for too long, cold enough to freeze what must not, silent,
// or opened and opened again.
//
// [Watch] is a pure function of the readings, so late and corrected readings
// give the alarms that timely ones would have given.
package alarm

import (
	"math"
	"time"

	"leancatch/internal/core/coldchain"
)

// Kind is what is wrong.
type Kind string

// The kinds.
const (
	Warm     Kind = "warm"     // above the limit for longer than the delay
	Freezing Kind = "freezing" // cold enough to freeze chilled fish
	Silent   Kind = "silent"   // nothing heard
	Doors    Kind = "doors"    // opened too often, or not quite shut
	Disagree Kind = "disagree" // two instruments in one place tell different stories
)

// Name is the kind in words.
func (k Kind) Name() string {
	return map[Kind]string{Warm: "Too warm", Freezing: "Cold enough to freeze", Silent: "Probe silent",
		Doors: "Door pattern", Disagree: "Probes disagree"}[k]
}

// House values.
const (
	// Hysteresis is how far, K, a temperature must come back behind its limit
	// before an alarm ends: it must not ring again at each swing.
	Hysteresis = 0.5
	// FreezingC is the air at which chilled fish begins to freeze: half a degree
	// below its freezing point of −1 °C.
	FreezingC = -1.5
	// silentGaps times the usual interval without a reading is silence, and
	// LeastSilence at least.
	SilentGaps   = 3
	LeastSilence = 15 * time.Minute
	// A door shows as a rise of doorRise, K, within doorQuick, that falls again
	// by half; doorCount of them within doorWindow are a pattern.
	doorRise   = 1.2
	doorQuick  = 12 * time.Minute
	doorCount  = 5
	doorWindow = time.Hour
)

// Rules are what a probe's readings are held to.
type Rules struct {
	WarmC     float64 // limit, °C; NaN for none
	FreezingC float64 // the same for cold; NaN for none
	Delay     time.Duration
	Interval  time.Duration // between the probe's readings as they usually come; 0 where silence says nothing
	Doors     bool          // watch for a door
}

// Episode is one alarm. Ended is zero while it lasts.
type Episode struct {
	Kind     Kind
	Since    time.Time // when it began: the limit was crossed, the last reading came, the first door opened
	Raised   time.Time // when the delay was over
	Ended    time.Time
	Worst    float64 // warmest or coldest, °C; in silence the last that was heard
	Limit    float64 // °C; NaN where there is none
	Openings int     // of the door
}

// Lasts reports whether the episode goes on.
func (e Episode) Lasts() bool { return e.Ended.IsZero() }

// Watch returns the episodes in readings (ascending) up to a time, in the order
// of the kinds and then of time.
func Watch(readings []coldchain.Reading, until time.Time, r Rules) []Episode {
	var all []Episode
	if !math.IsNaN(r.WarmC) {
		all = append(all, r.beyond(readings, until, Warm, r.WarmC, 1)...)
	}
	if !math.IsNaN(r.FreezingC) {
		all = append(all, r.beyond(readings, until, Freezing, r.FreezingC, -1)...)
	}
	if r.Interval > 0 {
		all = append(all, r.silences(readings, until)...)
	}
	if r.Doors {
		all = append(all, doors(readings)...)
	}
	return all
}

// SilentAfter is how long nothing need be heard for silence.
func (r Rules) SilentAfter() time.Duration { return max(SilentGaps*r.Interval, LeastSilence) }

// beyond finds the times beyond a limit on its warm (sign 1) or cold side. The
// crossing lies on the line between two readings. An episode is raised once the
// delay is over and a reading, or the present with a probe that still reports,
// shows it; one that ends before is none.
func (r Rules) beyond(readings []coldchain.Reading, until time.Time, kind Kind, limit, sign float64) []Episode {
	var all []Episode
	var now *Episode
	past := func(c, edge float64) bool { return sign*(c-edge) > 0 }
	end := func(at time.Time) {
		if at.Sub(now.Since) >= r.Delay {
			now.Raised, now.Ended = now.Since.Add(r.Delay), at
			all = append(all, *now)
		}
		now = nil
	}
	for i, x := range readings {
		switch {
		case now == nil && past(x.Celsius, limit):
			now = &Episode{Kind: kind, Since: x.At, Worst: x.Celsius, Limit: limit}
			if i > 0 && r.near(readings[i-1].At, x.At) {
				now.Since = crossing(readings[i-1], x, limit)
			}
		case now != nil && !past(x.Celsius, limit-sign*Hysteresis):
			end(crossing(readings[i-1], x, limit-sign*Hysteresis))
		case now != nil && sign*(x.Celsius-now.Worst) > 0:
			now.Worst = x.Celsius
		}
	}
	if now != nil && until.Sub(now.Since) >= r.Delay {
		now.Raised = now.Since.Add(r.Delay)
		all = append(all, *now)
	}
	return all
}

// near reports whether a line between two readings stands for what was between.
func (r Rules) near(a, b time.Time) bool {
	return r.Interval == 0 || b.Sub(a) <= coldchain.GapFactor*r.Interval
}

// crossing is when the line from a to b meets a level between them.
func crossing(a, b coldchain.Reading, level float64) time.Time {
	share := (level - a.Celsius) / (b.Celsius - a.Celsius)
	if !(share >= 0 && share <= 1) {
		return b.At
	}
	return a.At.Add(time.Duration(share * float64(b.At.Sub(a.At)))).Truncate(time.Microsecond)
}

// silences finds the times without a reading.
func (r Rules) silences(readings []coldchain.Reading, until time.Time) []Episode {
	var all []Episode
	after := r.SilentAfter()
	for i, x := range readings {
		next, ended := until, time.Time{}
		if i+1 < len(readings) {
			next, ended = readings[i+1].At, readings[i+1].At
		}
		if next.Sub(x.At) > after {
			all = append(all, Episode{Kind: Silent, Since: x.At, Raised: x.At.Add(after), Ended: ended,
				Worst: x.Celsius, Limit: math.NaN()})
		}
	}
	return all
}

// doors finds the hours in which the temperature jumped again and again.
func doors(readings []coldchain.Reading) []Episode {
	var opened []time.Time
	var peaks []float64
	low, open := 0, false // the coldest reading within doorQuick, whether it is open
	var base, peak float64
	for i, x := range readings {
		if open {
			peak = math.Max(peak, x.Celsius)
			if x.Celsius <= base+(peak-base)/2 {
				opened, peaks = append(opened, readings[i].At), append(peaks, peak)
				open, low = false, i
			}
			continue
		}
		for low < i && (x.At.Sub(readings[low].At) > doorQuick || readings[low+1].Celsius <= readings[low].Celsius) {
			low++
		}
		if x.Celsius-readings[low].Celsius >= doorRise {
			open, base, peak = true, readings[low].Celsius, x.Celsius
		}
	}
	var all []Episode
	for i := range opened {
		first := i - doorCount + 1
		if first < 0 || opened[i].Sub(opened[first]) > doorWindow {
			continue
		}
		worst := peaks[i]
		for _, p := range peaks[first:i] {
			worst = math.Max(worst, p)
		}
		if n := len(all); n > 0 && !opened[first].After(all[n-1].Ended) {
			all[n-1].Ended, all[n-1].Worst = opened[i], math.Max(all[n-1].Worst, worst)
			all[n-1].Openings++
			continue
		}
		all = append(all, Episode{Kind: Doors, Since: opened[first], Raised: opened[i], Ended: opened[i],
			Worst: worst, Limit: math.NaN(), Openings: doorCount})
	}
	return all
}

// Actions are the corrective actions offered for an alarm, as they are recorded.
func (k Kind) Actions() []string {
	switch k {
	case Silent:
		return []string{"Measured by hand", "Probe switched on or moved", "Battery changed", "Probe taken out of use",
			"Other"}
	case Freezing:
		return []string{"Set warmer", "Fish moved", "Fish covered", "Service called", "Other"}
	case Disagree:
		return []string{"Both checked in ice", "Measured by hand", "Probe moved", "Probe taken out of use", "Other"}
	case Doors:
		return []string{"Door shut", "Seal cleaned or mended", "Crew told", "Delivery put away", "Other"}
	}
	return []string{"Fish moved", "Fish iced", "Door shut", "Switched on again", "Service called", "Fish discarded",
		"Other"}
}

// Quiet reports whether a time of day, "15:04", lies in the quiet hours between
// two others, which may span midnight. Where both are the same there are none.
func Quiet(from, to, clock string) bool {
	if from <= to {
		return clock >= from && clock < to
	}
	return clock >= from || clock < to
}
