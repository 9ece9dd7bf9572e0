package assess

import (
	"fmt"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// OutOfCold is how long a lot was out of the cold.
type OutOfCold struct {
	Hours, Allowed float64   // Allowed is until it may only be cooked
	StopHours      float64   // until it is discarded
	Unknown        float64   // hours without a record
	Explained      float64   // hours for which a manager's word stands
	CookBy         time.Time // it was out of the cold for so long that it is cooked by then; zero for other fish
	VeryHot        float64   // hours of the fish itself above the profile's VeryHotC
}

// unknownSlack are hours without a record that count as none: between what happened and the clock
// of an instrument.
const unknownSlack = 1.0 / 60

// chargeFrom is when the kitchen took charge of the fish, and any chilling was over; the zero time
// of our own catch that was not chilled yet.
func (t assessor) chargeFrom() time.Time {
	s := t.state
	cuts := histamineCuts(s)
	switch {
	case len(cuts) > 0:
		return laterOf(s.ReceivedAt, cuts[0])
	case s.Received.OwnCatch:
		return time.Time{}
	}
	return s.ReceivedAt
}

// outOfCold counts the hours of the line above the profile's limit since the kitchen took charge
// of the fish; nil where that has not begun.
func (t assessor) outOfCold() *OutOfCold {
	from := t.chargeFrom()
	if from.IsZero() {
		return nil
	}
	rules := t.env.Profile.OutOfCold
	span := coldchain.Span{From: from, To: t.at}
	e, unknown := t.counted(span)
	out := OutOfCold{Hours: e.HoursAbove(rules.AboveC), Allowed: rules.RawHours, StopHours: rules.StopHours,
		Unknown: coldchain.Total(unknown).Hours(), Explained: t.line.hours(span, GradeExplained),
		VeryHot: e.HoursAbove(rules.VeryHotC)}
	if e.HoursAbove(rules.HotC) > 0 {
		out.StopHours = min(out.StopHours, rules.HotStopHours)
	}
	from = laterOf(from, t.freeCooling().To)
	if out.Hours > rules.CookHours {
		if at := t.line.passes(from, rules.AboveC, rules.CookHours); !at.IsZero() {
			out.CookBy = at.Add(inHours(rules.CookGraceHours))
		}
	}
	return &out
}

// outOfColdClock closes by degrees: first what asks for the best fish, then the pan too.
func (t assessor) outOfColdClock(a *Assessment) Reading {
	out := a.OutOfCold
	if out == nil {
		return off(ClockOutOfCold)
	}
	rules := t.env.Profile.OutOfCold
	share := out.Hours / out.StopHours
	r := Reading{ID: ClockOutOfCold, State: byShare(share), Share: share}
	said := fmt.Sprintf("%.1f h out of the cold", out.Hours)
	over := func(hours, limit float64) bool { return hours > limit*(1+passedBy) }
	switch {
	case over(out.VeryHot, rules.VeryHotHours):
		r.Guards, r.State = every, safety.StateStop
		r.Why = fmt.Sprintf("%.1f h above %.0f °C, at most %.0f h: discard it", out.VeryHot, rules.VeryHotC, rules.VeryHotHours)
	case over(out.Hours, out.StopHours):
		r.Guards, r.State = every, safety.StateStop
		r.Why = fmt.Sprintf("%s, at most %.0f h: discard it", said, out.StopHours)
	case !out.CookBy.IsZero() && t.at.After(out.CookBy):
		r.Guards, r.State = every, safety.StateStop
		r.Why = fmt.Sprintf("%s: it was to be cooked within %.0f h: discard it", said, rules.CookHours)
	case out.Unknown > unknownSlack:
		r.Guards, r.State = every, safety.StateUnknown
		r.Why = fmt.Sprintf("%s without a temperature record", hoursText(inHours(out.Unknown)))
		r.EndedBy = "a record, or a manager's explanation"
	case !out.CookBy.IsZero():
		r.Guards = cookOnly
		r.Why = fmt.Sprintf("%s: cook it by %s, or discard it", said, out.CookBy.In(zoneOr(t.env.Zone)).Format("15:04"))
	case over(out.Hours, rules.RawHours):
		r.Guards = cookOnly
		r.Why = fmt.Sprintf("%s, at most %.0f h: cook, serve or discard it, never back", said, rules.RawHours)
	case out.Explained > unknownSlack:
		r.Guards = []lot.Gate{lot.GateRaw}
		r.Why = fmt.Sprintf("%s for which only a manager's explanation stands: to be cooked", hoursText(inHours(out.Explained)))
	case r.State != safety.StateOK:
		r.Why = said
	}
	if len(r.Guards) > 0 && r.State != safety.StateUnknown && t.warmInTheNight(out) {
		r.Brief = "warm night"
	}
	return r
}

// A night is from nightFrom to nightTo o'clock (house): what grew warm then was not left out by somebody.
const nightFrom, nightTo = 21, 7

// warmInTheNight reports whether the middle of the hours out of the cold lies in a night.
func (t assessor) warmInTheNight(out *OutOfCold) bool {
	middle := t.line.passes(laterOf(t.chargeFrom(), t.freeCooling().To), t.env.Profile.OutOfCold.AboveC, out.Hours/2)
	hour := middle.In(zoneOr(t.env.Zone)).Hour()
	return out.Hours > 0 && !middle.IsZero() && (hour >= nightFrom || hour < nightTo)
}
