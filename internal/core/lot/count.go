package lot

import (
	"time"

	"leancatch/internal/core/invalid"
)

// NotFound says that fish of the lot were gone when people counted what is here, and nobody wrote
// down where to: it leaves as not accounted for. What is gone is gone whatever the clocks say, so it
// asks no gate.
type NotFound struct {
	Count    int     `json:"count,omitempty"` // fish that are gone; 0 where only weight is
	WeightKg float64 `json:"weight_kg"`       // that is gone
	Note     string  `json:"note,omitempty"`
}

// All reports whether nothing of the lot is left.
func (p NotFound) All(s *State) bool { return s.emptiedBy(p.WeightKg) }

func (p NotFound) Check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	switch all := p.All(before); {
	case !(p.WeightKg > 0):
		bad.Add("weight_kg", "must be above 0")
	case p.WeightKg > before.WeightKg+leftSlackKg:
		bad.Add("weight_kg", "is more than there was")
	case p.Count < 0 || p.Count > before.Count:
		bad.Add("count", "is more than there were")
	case p.Count == before.Count && !all:
		bad.Add("count", "are all of them, and some weight is left")
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

func (p NotFound) Apply(s *State, e Event) {
	x := Exit{EndUse: NotCounted, Kg: p.WeightKg, Count: p.Count, Note: p.Note}
	if p.All(s) {
		s.exitAll(e, x)
		s.end(WasNotFound, e.HappenedAt)
		return
	}
	s.exit(e, x)
}
