package assess

import (
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
)

// Action is something that is due.
type Action struct {
	Do   string // imperative: Inspect, Move …
	Why  string
	Due  time.Time
	Path string // the lot's screen where it is done, "" for its card
}

// What is done each day to fish that ages.
const (
	doWeigh = "Weigh"
	doLook  = "Look, smell, touch"
)

// Daily reports whether it is of the day's round of an ageing cabinet.
func (a Action) Daily() bool { return a.Do == doWeigh || a.Do == doLook }

// When work on a fresh lot is due (house).
const (
	InspectWithin = 30 * time.Minute
	DockWithin    = 45 * time.Minute
	// comesWithin is after how long fish that another kitchen sent is looked out for.
	comesWithin = 30 * time.Minute
	// ownCatchInspectWithin is the time from the ice to the inspection of our own catch.
	ownCatchInspectWithin = 6 * time.Hour
	// SilentAfter is the time without any reading after which one is due.
	SilentAfter = 4 * time.Hour
)

// DueActions lists what is due for a lot on hand, soonest first.
func DueActions(s *lot.State, a Assessment, env Env) []Action {
	if s.Status != lot.OnHand {
		return nil
	}
	var due []Action
	add := func(do, why, path string, at time.Time) { due = append(due, Action{do, why, at, path}) }
	if c := a.Cooling; c != nil {
		if c.FirstAt.IsZero() {
			add(fmt.Sprintf("Cool to %.0f °C", c.FirstC), "cooked, cooling", "", c.FirstBy)
		}
		if c.ThenAt.IsZero() {
			add(fmt.Sprintf("Cool to %.0f °C", c.ThenC), "cooked, cooling", "", c.ThenBy)
		}
		add("Use or discard", "cooked: its date mark", "", c.UseBy)
		return due
	}
	if !s.MeasuredHere() {
		add("Receive", "sent by "+s.CameFrom, "arrival", s.SentAt.Add(comesWithin))
		return due
	}
	if _, inspected := s.Inspection(); !inspected && CanInspect(s) && !s.Waiting() {
		add("Inspect", "received, not inspected", "inspect", inspectBy(s))
	}
	if !a.MeasureAgain.IsZero() {
		add("Measure the core temperature again", "came too warm: ice it first", "", a.MeasureAgain)
	}
	if len(s.Stays) > 0 && env.Places[s.Place()].Kind == "dock" && !s.Received.OwnCatch {
		add("Move", "still where it was received", "", s.Stays[len(s.Stays)-1].From.Add(DockWithin))
	}
	fromDeath(s, a, add)
	ageingDue(s, a, add)
	if since := a.silentSince(s); !since.IsZero() {
		add("Log temperature", "no reading", "", since.Add(SilentAfter))
	}
	if by := coverBy(s); !by.IsZero() {
		add("Cover", "open for a day", "", by)
	}
	if r := cookOnlyReview(s); r != nil {
		add("Cook", "reviewed after a failure", "", r.At.Add(cookBy))
	}
	switch end := a.Ends(); {
	case s.Thawing() && s.Thaw().Pull.PlanID == uuid.Nil: // a plan has its own steps
		add("Measure the core temperature", "thawing: free of ice by now", "", a.ThawReady)
	case !a.KeepTo.IsZero() && end.Equal(a.KeepTo):
		add("Use, cook or discard", "thawed", "", a.KeepTo)
	case !end.IsZero():
		add("Use or discard", "life ends", "", end)
	case a.FrozenLife != nil && !a.FrozenLife.BestBefore.IsZero():
		add("Use or discard", "frozen life ends", "", a.FrozenLife.BestBefore)
	}
	slices.SortStableFunc(due, func(a, b Action) int { return a.Due.Compare(b.Due) })
	return due
}

// inspectBy is when a lot is to be inspected: soon after its receipt, our own
// catch once it had time in the ice.
func inspectBy(s *lot.State) time.Time {
	if iced := s.Harvest.Iced; s.Received.OwnCatch && iced != nil {
		return iced.At.Add(ownCatchInspectWithin)
	}
	return s.ReceivedAt.Add(InspectWithin)
}

// silentSince returns since when nobody and nothing has measured the lot: the
// start of the assumed stretch that lasts until now, or the last core reading
// in it; zero where something measures.
func (a Assessment) silentSince(s *lot.State) time.Time {
	if a.NowKind != coldchain.Assumed || len(a.Stretches) == 0 {
		return time.Time{}
	}
	since := s.ReceivedAt
	for _, p := range a.Stretches[len(a.Stretches)-1].Parts {
		if n := len(p.Spans); p.Kind == coldchain.Assumed && n > 0 && p.Spans[n-1].From.After(since) {
			since = p.Spans[n-1].From
		}
	}
	if n := len(s.CoreReadings); n > 0 && s.CoreReadings[n-1].At.After(since) {
		since = s.CoreReadings[n-1].At
	}
	return since
}

// CanInspect reports whether the lot is raw yet and some scheme fits it as it was
// delivered. None was made for fish that was dry-aged: its signs have dried.
func CanInspect(s *lot.State) bool {
	return s.Cooked == nil && len(s.Hangings) == 0 && len(FittingSchemes(freshness.Schemes(), s)) > 0
}

// FittingSchemes lists the schemes that were made for the lot as it is, the one to be
// offered first.
func FittingSchemes(schemes []freshness.Scheme, s *lot.State) []freshness.Scheme {
	var fit []freshness.Scheme
	for _, scheme := range schemes {
		if scheme.Fits(s.Species(), s.Form, s.Frozen()) {
			fit = append(fit, scheme)
		}
	}
	return fit
}
