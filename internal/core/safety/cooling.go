package safety

import (
	"time"

	"leancatch/internal/core/coldchain"
)

// coolingPause is the longest time without a new lowest reading over which a
// fish still counts as cooling down (house).
const coolingPause = time.Hour

// FreeCooling is how long after death fish may cool in its ice whatever its core is: the landing
// table begins then [FDA-hazards, chapter 7].
const FreeCooling = 12 * time.Hour

// MayLandAt reports whether fish that was put into ice on board may be as warm as that in its core so
// long after its death [FDA-hazards, chapter 7, the tables of day boats]: anything before FreeCooling,
// 15.6 °C before 15 h, 10 °C before 24 h, ChilledC from then on.
func MayLandAt(since time.Duration, core float64) bool {
	switch {
	case since < FreeCooling:
		return true
	case since < 15*time.Hour:
		return core <= 15.6
	case since < mostCooling:
		return core <= 10
	}
	return core <= ChilledC
}

// mostCooling is the time after death by which a core must be at ChilledC
// whatever its size [FDA-hazards, chapter 7, the table of day boats].
const mostCooling = 24 * time.Hour

// CooledAt returns when a fish that was put into ice at a time had cooled down:
// from then on its hours above ChilledC count. The cooling itself does not, as
// long as it goes on: it ends at the first reading of ChilledC or below, at the
// last lowest one where no lower one came within an hour, and 24 h after death.
// The readings are of the core, in the order of time; without any after the
// icing it has cooled at once.
func CooledAt(death, chilled time.Time, readings []coldchain.Reading) time.Time {
	latest := death.Add(mostCooling)
	var lowest, before coldchain.Reading
	for _, r := range readings {
		if r.At.Before(chilled) {
			continue
		}
		if r.At.After(latest) {
			return later(chilled, latest)
		}
		switch {
		case r.Celsius <= ChilledC && lowest.At.IsZero():
			return chilled
		case r.Celsius <= ChilledC:
			share := (before.Celsius - ChilledC) / (before.Celsius - r.Celsius)
			return before.At.Add(time.Duration(share * float64(r.At.Sub(before.At))))
		case lowest.At.IsZero() || r.Celsius < lowest.Celsius:
			lowest = r
		case r.At.Sub(lowest.At) > coolingPause:
			return lowest.At
		}
		before = r
	}
	if lowest.At.IsZero() {
		return chilled
	}
	return lowest.At
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}
