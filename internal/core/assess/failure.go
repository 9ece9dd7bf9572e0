package assess

import (
	"fmt"
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// leastLeft is the life left at which fish that came through a failure is
// cooked the same day, real days (house).
const leastLeft = 1.0

// FailureImpact is what the failure of a place did to a lot that lay there.
type FailureImpact struct {
	coldchain.Span         // in which it lay there while the place was out of order
	IceDays        float64 // that it spent in that time
	LostDays       float64 // more than at the set temperature, fresh days
	WarmestC       float64 // the fish
	AirC           float64 // the warmest air; that of the fish where the air was not measured
	OverHours      float64 // that the fish was above LimitC
	LimitC         float64 // of the profile, for its species
	AllowedHours   float64 // out of the cold, by the profile
	Before, Left   float64 // life left before and now, fresh days
	RealDays       float64 // now, at the temperature now
	Outcome        lot.FailureOutcome
	Reasons        []string
	ToDo           []string // what to record or to do
}

// AssessFailure calculates what a lot lost while its place was out of order; ok is false
// where it did not lie there then. The probes' readings at both ends of the
// failure must be loaded: those that [ProbeSpans] lists.
func AssessFailure(s *lot.State, env Env, placeID int64, failure coldchain.Span) (loss FailureImpact, ok bool) {
	span, ok := s.StayedIn(placeID, failure)
	if !ok {
		return loss, false
	}
	a := Assess(s, env, env.Now)
	t := newAssessor(s, env, a.At)
	e := sum(t.stretches(span))
	air := t.warmestAround(span)
	place := env.Places[placeID]
	set, _ := a.Model.DaysAt(1, place.SetC)
	limit := env.Profile.ChilledLimit(s.Species())
	loss = FailureImpact{Span: span, IceDays: t.exposure(span).IceDays(a.Model), WarmestC: e.Max,
		AirC: math.Max(air, e.Max), LimitC: limit, OverHours: e.HoursAbove(limit),
		AllowedHours: env.Profile.OutOfCold.CookHours, Left: a.Left.Days, RealDays: a.RealDays, Outcome: lot.OutcomeFine}
	loss.LostDays = math.Max(0, loss.IceDays-span.Len().Hours()/24/set)
	since := t.exposure(coldchain.Span{From: span.From, To: a.At}).IceDays(a.Model)
	loss.Before = a.Left.Days + since
	loss.judge(s, a, env)
	return loss, true
}

// judge says what is to become of the lot.
func (l *FailureImpact) judge(s *lot.State, a Assessment, env Env) {
	worsen := func(to lot.FailureOutcome, format string, args ...any) {
		l.Reasons = append(l.Reasons, fmt.Sprintf(format, args...))
		if l.Outcome == lot.OutcomeFine || to == lot.OutcomeStopped {
			l.Outcome = to
		}
	}
	if a.Frozen {
		if limit := env.Profile.FrozenMaxC; l.AirC > limit {
			l.ToDo = append(l.ToDo, fmt.Sprintf(
				"feel whether it is still hard, and measure the core temperature: frozen fish is kept at %.0f °C or colder", limit))
		}
		return
	}
	for _, stop := range a.Stops {
		worsen(lot.OutcomeStopped, "%s", stop)
	}
	if s.Hold != "" {
		worsen(lot.OutcomeStopped, "on hold: %s", s.Hold)
	}
	if l.OverHours >= l.AllowedHours {
		worsen(lot.OutcomeCook, "%.1f h above %.1f °C: out of the cold for longer than the %.0f h of the rules %s",
			l.OverHours, l.LimitC, l.AllowedHours, env.Profile.Name)
	}
	if a.Known() && a.RealDays < leastLeft {
		worsen(lot.OutcomeCook, "%.0f h left", 24*a.RealDays)
	}
	if l.Outcome == lot.OutcomeFine {
		l.Reasons = append(l.Reasons, fmt.Sprintf(
			"the fish rose to %.1f °C and spent %.1f fresh days more than it would have", l.WarmestC, l.LostDays))
	}
	if !slices.ContainsFunc(s.CoreReadings, func(r coldchain.Reading) bool {
		return r.At.After(l.To.Add(-30 * time.Minute))
	}) {
		l.ToDo = append(l.ToDo, "no core temperature since: measure one fish")
	}
	if b := a.Histamine; b != nil && b.State == safety.StateUnknown {
		l.ToDo = append(l.ToDo, "its histamine clock lacks a record")
	}
}

// cookBy is how long after its review fish that is to be cooked today waits (house).
const cookBy = 12 * time.Hour

// cookOnlyReview is the review that says so, nil where none does or an inspection after
// it accepted the lot again.
func cookOnlyReview(s *lot.State) *lot.ReviewMade {
	if len(s.Reviews) == 0 {
		return nil
	}
	r := &s.Reviews[len(s.Reviews)-1]
	if i, ok := s.Inspection(); r.Outcome != lot.OutcomeCook || ok && i.At.After(r.At) && i.Decision == freshness.Accept {
		return nil
	}
	return r
}
