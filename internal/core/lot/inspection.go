package lot

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
)

// Inspected records what was seen, what the scheme made of it then, and what
// the person decided. The scheme, which may be the kitchen's own, checked the
// fish before.
type Inspected struct {
	Scheme        string             `json:"scheme"`
	SchemeVersion int                `json:"scheme_version"`
	Fish          []freshness.Fish   `json:"fish"`
	Reading       freshness.Reading  `json:"reading"`
	Proposed      freshness.Verdict  `json:"proposed"`
	Decision      freshness.Decision `json:"decision"`
	Reason        string             `json:"reason,omitempty"` // required where Decision is not the proposed one
	Profile       string             `json:"profile"`
	Approval
	// on the market, before the receipt: the way here ages the fish further
	SeenAt  *time.Time        `json:"seen_at,omitempty"`
	Answers map[string]string `json:"answers,omitempty"` // to the counter card
	// the sample that was looked at quickly, of which Fish are; nil where all of it is in Fish
	Quick *freshness.QuickSample `json:"quick_sample,omitempty"`
}

// Overrides reports whether the person decided otherwise than proposed.
func (p Inspected) Overrides() bool { return p.Decision != p.Proposed.Decision }

// Inspection is an inspection that stands.
type Inspection struct {
	Inspected
	EventID uuid.UUID
	At      time.Time
}

// Inspection returns the last inspection that stands.
func (s *State) Inspection() (Inspection, bool) {
	if len(s.Inspections) == 0 {
		return Inspection{}, false
	}
	return s.Inspections[len(s.Inspections)-1], true
}

func (p Inspected) Check(before *State, at time.Time, bad *invalid.Errors) {
	rawOnHand(before, at, bad)
	if p.Scheme == "" {
		bad.Add("scheme", "choose a scheme")
	}
	switch {
	case len(p.Fish) == 0 || slices.ContainsFunc(p.Fish, func(f freshness.Fish) bool { return len(f.Signs) == 0 }):
		bad.Add("fish", "choose at least one sign")
	case before != nil && len(p.Fish) > before.Count:
		bad.Add("fish", "are more than the %d of the lot", before.Count)
	case before != nil && p.Quick != nil && (len(p.Quick.Fish) > before.Count || len(p.Quick.Fish) == 0):
		bad.Add("quick_sample", "must be of 1 to %d fish", before.Count)
	}
	if !slices.Contains(freshness.Decisions, p.Decision) {
		bad.Add("decision", "choose a decision")
	}
	if p.Overrides() {
		reason(p.Reason, bad)
		if len(p.Proposed.HardStops) > 0 && p.Decision.Accepted() {
			bad.NeedsManager("decision", "a hard stop is overridden only by a manager")
		}
	}
}

func (p Inspected) Apply(s *State, e Event) { s.inspected(Inspection{p, e.ID, e.HappenedAt}) }

func (s *State) inspected(i Inspection) {
	s.Inspections = append(s.Inspections, i)
	switch {
	case i.Decision == freshness.Hold:
		s.Hold, s.fromInspection, s.needsManager = firstReason(i.Inspected), true, len(i.Proposed.HardStops) > 0
	case i.Decision == freshness.Refuse:
		s.RefusedFor = firstReason(i.Inspected)
		s.end(WasRefused, i.At)
	case s.fromInspection:
		s.Hold, s.fromInspection, s.needsManager = "", false, false
	}
}

func firstReason(p Inspected) string {
	if p.Reason != "" {
		return p.Reason
	}
	if len(p.Proposed.Reasons) > 0 {
		return p.Proposed.Reasons[0]
	}
	return p.Proposed.Rule
}

// Of returns what an inspection saw on some of its fish.
func (p Inspected) Of(fish []int) Inspected {
	all := p.Fish
	p.Fish, p.Quick = nil, nil
	for _, i := range fish {
		if i >= 0 && i < len(all) {
			p.Fish = append(p.Fish, all[i])
		}
	}
	return p
}
