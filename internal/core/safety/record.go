package safety

import (
	"time"

	"leancatch/internal/core/coldchain"
)

// frozenC is the temperature at and below which fish lies frozen, °C.
const frozenC = -3.0

// Stretches reads the time from one moment to another off readings in the order
// of time. What lies further apart than twice their usual interval, and what
// lies before the first and after the last of them, has no record. Where the
// fish lay frozen for ExtendedFrozenWeeks or more, what comes after is a
// stretch of its own: it begins after the longest time without a reading above
// −3 °C where that is as long as the storage was, else with the first reading.
func Stretches(from, until time.Time, readings []coldchain.Reading, frozenWeeks float64) []Stretch {
	if !from.Before(until) {
		return nil
	}
	series := coldchain.Series{Readings: readings, MaxGap: coldchain.GapFactor * coldchain.UsualInterval(readings)}
	of := func(from, until time.Time, extended bool) Stretch {
		e, gaps := series.Exposure(coldchain.Span{From: from, To: until})
		return StretchOf(e, coldchain.Total(gaps).Hours(), extended)
	}
	if frozenWeeks < ExtendedFrozenWeeks {
		return []Stretch{of(from, until, false)}
	}
	frozen, ok := longestFrozen(coldchain.Span{From: from, To: until}, readings)
	if !ok || frozen.Len().Hours() < (frozenWeeks-1)*7*24 {
		return []Stretch{of(from, until, true)}
	}
	return []Stretch{of(from, frozen.From, false), of(frozen.To, until, true)}
}

// longestFrozen is the longest time in a span between two readings, with none
// above frozenC in between.
func longestFrozen(span coldchain.Span, readings []coldchain.Reading) (coldchain.Span, bool) {
	var longest coldchain.Span
	begin := 0
	for i, r := range readings {
		if part := (coldchain.Span{From: readings[begin].At, To: r.At}).Clip(span); part.Len() > longest.Len() {
			longest = part
		}
		if r.Celsius > frozenC {
			begin = i
		}
	}
	return longest, longest.Len() > 0
}
