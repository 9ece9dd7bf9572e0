package lot

import (
	"slices"
	"time"
	"unicode/utf8"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
)

// Tested records the histamine test of a lot that its clock holds; the samples
// were taken when it happened.
type Tested struct {
	Plan    safety.Plan `json:"plan"`
	Results []float64   `json:"results"` // mg/kg
	Lab     string      `json:"lab"`     // who measured, and the number of the report
	Met     bool        `json:"met"`
	Finding string      `json:"finding"`
	Approval
}

// GapExplained answers for time that nobody recorded, on the strength of something said, never for
// what was recorded: from when it happened up to Until; where it happened at Until or later, for all
// the time before.
type GapExplained struct {
	Until       time.Time `json:"until"`
	Explanation string    `json:"account"`                   // what happened, and on whose word or paper
	WarmHours   float64   `json:"warm_hours,omitempty"`      // of that time above 4.4 °C
	WarmestC    *float64  `json:"warmest_celsius,omitempty"` // in them
	Approval
}

// TestMade and GapExplanation are those that stand.
type (
	TestMade struct {
		Tested
		At time.Time
	}
	GapExplanation struct {
		GapExplained
		At time.Time
	}
)

// Derive implements Derived: whether a test was met follows from its plan, and a plan that is known from
// its name.
func (p Tested) Derive(before *State, _ Facts, _ time.Time) Payload {
	plan, known := safety.GetPlan(p.Plan.ID)
	if p.Plan.Fish = false; known && before != nil {
		p.Plan = plan.For(before.Count, len(p.Results))
	}
	p.Met, p.Finding = p.Plan.Judge(p.Results)
	return p
}

func (p Tested) Check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) {
		if !before.Species().HistamineRules() {
			bad.Add("lot", "is no histamine former")
		}
		explained(bad)
	}
	p.Plan.Check(bad)
	if len(p.Results) != p.Plan.N {
		bad.Add("results", "%d given: the plan asks for %d", len(p.Results), p.Plan.N)
	}
	if slices.ContainsFunc(p.Results, func(r float64) bool { return !(r >= 0 && r <= 20000) }) {
		bad.Add("results", "must be between 0 and 20 000 mg/kg")
	}
	if p.Lab == "" || invalid.TooLong(p.Lab, 200) {
		bad.Add("lab", "say who measured, and the number of the report")
	}
}

func (p Tested) Apply(s *State, e Event) { s.Tests = append(s.Tests, TestMade{p, e.HappenedAt}) }

// mostWarmHours bounds an explanation.
const mostWarmHours = 24 * 60

func (p GapExplained) Check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) {
		explained(bad)
	}
	if utf8.RuneCountInString(p.Explanation) < 10 || invalid.TooLong(p.Explanation, 500) {
		bad.Add("account", "say what happened, and how it is known")
	}
	if !(p.WarmHours >= 0 && p.WarmHours <= mostWarmHours) {
		bad.Add("warm_hours", "must be at least 0")
	}
	if p.WarmestC != nil && unit.CheckCelsius(*p.WarmestC) != nil {
		bad.Add("warmest_celsius", "%v", unit.ErrTempRange)
	}
	if p.WarmHours > 0 && p.WarmestC == nil {
		bad.Add("warmest_celsius", "give the warmest it was in those hours")
	}
}

// Judge implements Judged.
func (p GapExplained) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	if p.Until.After(f.Now) {
		bad.Add("until", "lies in the future")
	}
}

func (p GapExplained) Apply(s *State, e Event) {
	s.GapExplanations = append(s.GapExplanations, GapExplanation{p, e.HappenedAt})
	slices.SortStableFunc(s.GapExplanations, func(a, b GapExplanation) int { return a.Until.Compare(b.Until) })
}

func explained(bad *invalid.Errors) {
	bad.NeedsManager("lot", "explaining missing hours needs a manager")
}
