package assess

import (
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/safety"
)

// Course is a clock that runs along the line: from when, the stretches that counted, and those of which
// nobody knows.
type Course struct {
	Reading
	From    time.Time
	Counted []coldchain.Span // coarse, by the hour
	Unknown []coldchain.Span
}

// Courses are the clocks that have a budget, and how each ran along the line.
func (a Assessment) Courses() []Course {
	t := assessor{state: a.state, env: a.env, at: a.At, line: a.Line}
	var list []Course
	for _, r := range a.Clocks {
		if r.State == safety.StateOff || r.Share != r.Share {
			continue
		}
		c := Course{Reading: r}
		limit := 0.0
		switch r.ID {
		case ClockOutOfCold:
			c.From, limit = t.chargeFrom(), a.env.Profile.OutOfCold.AboveC
		case ClockHistamine:
			if cuts := histamineCuts(a.state); len(cuts) > 0 {
				c.From, limit = cuts[0], safety.ChilledC
			}
		case ClockOxygen:
			if spans := t.withoutOxygen(); len(spans) > 0 {
				c.From, limit = spans[0].From, safety.OxygenC
			}
		case ClockCut:
			c.From = cutSince(a.state)
		case ClockPrepared:
			c.From = a.state.Preparations[0].At
		case ClockToChill:
			if death, ok := a.state.Death(); ok {
				c.From = death.At
			}
		case ClockAgeing:
			c.From = a.Ageing.Stay.From
		default:
			c.From = r.Since
		}
		if c.From.IsZero() {
			continue
		}
		span := coldchain.Span{From: c.From, To: a.At}
		if limit == 0 {
			c.Counted = []coldchain.Span{span}
		} else {
			c.Counted, c.Unknown = a.Line.above(span, limit)
		}
		list = append(list, c)
	}
	return list
}

// above are the stretches of a span in which a line is above one of coldchain.Limits for any time of
// an hour, and those in which it is not known.
func (l Line) above(span coldchain.Span, limit float64) (counted, unknown []coldchain.Span) {
	for _, s := range l {
		part := s.Clip(span)
		if part.Len() <= 0 {
			continue
		}
		if s.Grade == GradeUnknown {
			unknown = coldchain.Join(unknown, part)
		}
		if s.Grade == GradeUnknown && !s.Counts || s.Exposure(part).HoursAbove(limit) == 0 {
			continue
		}
		for _, hour := range coldchain.Hours(part) {
			if s.Exposure(hour).HoursAbove(limit) > 0 {
				counted = coldchain.Join(counted, hour)
			}
		}
	}
	return counted, unknown
}
