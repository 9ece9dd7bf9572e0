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
	Plan      safety.Plan `json:"plan"`
	Results   []float64   `json:"results"` // mg/kg
	Lab       string      `json:"lab"`     // who measured, and the number of the report
	Met       bool        `json:"met"`
	Finding   string      `json:"finding"`
	ByManager bool        `json:"by_manager"`
}

// GapExplained answers for the time up to Until that nobody recorded, on the
// strength of something said: never for what was recorded.
type GapExplained struct {
	Until       time.Time `json:"until"`
	Explanation string    `json:"account"`                   // what happened, and on whose word or paper
	WarmHours   float64   `json:"warm_hours,omitempty"`      // of that time above 4.4 °C
	WarmestC    *float64  `json:"warmest_celsius,omitempty"` // in them
	ByManager   bool      `json:"by_manager"`
}

func (Tested) Kind() Kind       { return KindTested }
func (GapExplained) Kind() Kind { return KindGapExplained }

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

// NewTested judges results by a plan.
func NewTested(plan safety.Plan, results []float64, lab string) Tested {
	t := Tested{Plan: plan, Results: results, Lab: lab}
	t.Met, t.Finding = plan.Judge(results)
	return t
}

func (p Tested) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) {
		former(before, p.ByManager, bad)
	}
	p.Plan.Check(bad)
	if len(p.Results) != p.Plan.N {
		bad.Add("results", "%d given: the plan asks for %d", len(p.Results), p.Plan.N)
	}
	if slices.ContainsFunc(p.Results, func(r float64) bool { return !(r >= 0 && r <= 20000) }) {
		bad.Add("results", "must be between 0 and 20 000 mg/kg")
	}
	if met, _ := p.Plan.Judge(p.Results); met != p.Met {
		bad.Add("met", "is not what the plan makes of the results")
	}
	if p.Lab == "" || invalid.TooLong(p.Lab, 200) {
		bad.Add("lab", "say who measured, and the number of the report")
	}
}

// mostWarmHours bounds an explanation.
const mostWarmHours = 24 * 60

func (p GapExplained) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) {
		if !before.Species().HistamineRules() && !slices.ContainsFunc(before.Packs, func(s PackStay) bool {
			return s.Reduced()
		}) {
			bad.Add("lot", "has no safety clock that asks for a record")
		}
		explained(p.ByManager, bad)
	}
	if p.Until.After(at) {
		bad.Add("until", "lies after the explanation")
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

func former(before *State, byManager bool, bad *invalid.Errors) {
	if !before.Species().HistamineRules() {
		bad.Add("lot", "is no histamine former")
	}
	explained(byManager, bad)
}

func explained(byManager bool, bad *invalid.Errors) {
	if !byManager {
		bad.NeedsManager("lot", "explaining missing hours needs a manager")
	}
}
