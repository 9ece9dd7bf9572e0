package lot

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
)

// Action is something that is due.
type Action struct {
	Do   string // imperative: Inspect, Move …
	Why  string
	Due  time.Time
	Path string // the lot's screen where it is done, "" for its card
}

// When work on a fresh lot is due (house).
const (
	InspectWithin = 30 * time.Minute
	DockWithin    = 45 * time.Minute
	// SilentAfter is the time without any reading after which one is due.
	SilentAfter = 4 * time.Hour
)

// Next lists what is due for a lot on hand, soonest first.
func Next(s *State, a Account, env Env) []Action {
	if s.Status != OnHand {
		return nil
	}
	var due []Action
	add := func(do, why, path string, at time.Time) { due = append(due, Action{do, why, at, path}) }
	if _, inspected := s.Inspection(); !inspected && CanInspect(s) {
		add("Inspect", "received, not inspected", "inspect", s.ReceivedAt.Add(InspectWithin))
	}
	if len(s.Stays) > 0 && env.Places[s.Place()].Kind == "dock" {
		add("Move", "still on the dock", "", s.Stays[len(s.Stays)-1].From.Add(DockWithin))
	}
	if since := a.silentSince(); !since.IsZero() {
		add("Log temperature", "no reading", "", since.Add(SilentAfter))
	}
	if end := a.Ends(); !end.IsZero() {
		add("Use or discard", "life ends", "", end)
	}
	slices.SortStableFunc(due, func(a, b Action) int { return a.Due.Compare(b.Due) })
	return due
}

// silentSince returns the start of the assumed stretch that lasts until now,
// zero where there is none.
func (a Account) silentSince() time.Time {
	if a.NowKind != coldchain.Assumed || len(a.Stretches) == 0 {
		return time.Time{}
	}
	last := a.Stretches[len(a.Stretches)-1]
	for _, p := range last.Parts {
		if p.Kind == coldchain.Assumed && len(p.Spans) > 0 {
			return p.Spans[len(p.Spans)-1].From
		}
	}
	return time.Time{}
}

// CanInspect reports whether a scheme fits the lot as it was delivered.
func CanInspect(s *State) bool {
	_, ok := SchemeFor(s)
	return ok
}

// SchemeFor returns the scheme that fits the lot as it was delivered.
func SchemeFor(s *State) (freshness.Scheme, bool) {
	if s.Received.Frozen {
		return freshness.Scheme{}, false
	}
	for _, scheme := range freshness.Schemes() {
		if scheme.Fits(s.Species().Body, s.Received.Form) {
			return scheme, true
		}
	}
	return freshness.Scheme{}, false
}
