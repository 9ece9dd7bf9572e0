package assess

import (
	"fmt"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
)

// RawShare is the first part of the shelf life, in which fish may be served
// raw (house, common practice).
const RawShare = 1.0 / 3

// Use is a use that a lot may be fit for.
type Use struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	OK      bool     `json:"ok"`
	Reasons []string `json:"reasons"` // why not, or under which condition
}

// Fitness says what the lot may be used for now, with the reasons against.
func Fitness(s *lot.State, a Assessment) []Use {
	sp := s.Species()
	raw := Use{ID: "raw", Name: "raw"}
	cook := Use{ID: "cook", Name: "cook"}
	freeze := Use{ID: "freeze", Name: "freeze"}
	stock := Use{ID: "stock", Name: "stock pot"}
	every := func(format string, args ...any) {
		text := fmt.Sprintf(format, args...)
		for _, u := range []*Use{&raw, &cook, &freeze, &stock} {
			u.Reasons = append(u.Reasons, text)
		}
	}
	if s.Status != lot.OnHand {
		every("no longer on hand: %s", s.Status.Name())
	}
	if s.Hold != "" {
		every("on hold: %s", s.Hold)
	}
	for _, stop := range a.Stops {
		every("%s", stop)
	}
	if s.Cooked != nil {
		for _, u := range []*Use{&raw, &freeze, &stock} {
			u.Reasons = append(u.Reasons, "cooked: serve it from the chill, or hot through")
		}
	}
	inspection, inspected := s.Inspection()
	switch {
	case a.Frozen:
	case !inspected && a.Basis == freshness.BasisNone:
		every("age unknown: inspect it")
	case inspected && inspection.Decision == freshness.AcceptStock:
		cook.Reasons = append(cook.Reasons, "accepted for stock and trim only")
	}
	if r := cookOnlyReview(s); r != nil {
		raw.Reasons = append(raw.Reasons, "to be cooked: reviewed after a failure")
	}
	if inspected && inspection.Decision != freshness.Accept {
		raw.Reasons = append(raw.Reasons, "decided at the inspection: "+inspection.Decision.Name())
	}
	aged, byPlan := agedRawReasons(a)
	raw.Reasons = append(raw.Reasons, aged...)
	if !byPlan && !(a.Oldest <= RawShare*a.Shelf) {
		raw.Reasons = append(raw.Reasons, fmt.Sprintf(
			"not known to be within the first third of its fresh days (%.0f)", RawShare*a.Shelf))
	}
	if !a.Parasites.Met {
		raw.Reasons = append(raw.Reasons, a.Parasites.Text())
	}
	raw.Reasons = append(raw.Reasons, notReadyRaw(s)...)
	if thaw := s.Thaw(); s.Thawing() {
		cook.Reasons, stock.Reasons = append(cook.Reasons, thaws), append(stock.Reasons, thaws)
	} else if thaw != nil && thaw.Pull.EndUse == thawing.Cook {
		raw.Reasons = append(raw.Reasons, "thawed to be cooked")
	}
	if out := a.OutOfCold; out != nil && out.Hours >= out.Allowed {
		text := fmt.Sprintf("%.1f h out of the cold, at most %.0f h: cook, serve or discard it, never back",
			out.Hours, out.Allowed)
		raw.Reasons, freeze.Reasons = append(raw.Reasons, text), append(freeze.Reasons, text)
	}
	if why := mayFreeze(s, a); why != "" {
		freeze.Reasons = append(freeze.Reasons, why)
	}
	if !sp.Stock {
		stock.Reasons = append(stock.Reasons, "frames of this species do not make clear stock")
	}
	uses := []Use{raw, cook, dryAgeUse(a), freeze, stock}
	for i := range uses {
		u := &uses[i]
		if u.OK = len(u.Reasons) == 0; u.OK {
			u.Reasons = []string{} // programs read a list
		}
	}
	return uses
}

// ThawFirst is all that speaks against raw service of fish that is ready for it
// but frozen.
const ThawFirst = "frozen: thaw it first"

const thaws = "thaws: measure its core"

// notReadyRaw says why a lot is not at hand for raw service yet.
func notReadyRaw(s *lot.State) []string {
	switch {
	case s.Frozen():
		return []string{ThawFirst}
	case s.Thawing():
		return []string{thaws}
	}
	return nil
}
