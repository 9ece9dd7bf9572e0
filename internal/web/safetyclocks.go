package web

import (
	"fmt"
	"html/template"
	"strings"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// clockView is the histamine clock of a lot.
type clockView struct {
	safety.Budget
	ToChillMeter, AfterMeter template.HTML
	Gaps                     []string
	Plans                    []safety.Plan
	Manager                  bool
	Rules                    refs.Cited
}

// newClock draws it; nil for what is no histamine former.
func newClock(p page, card kitchen.Card) *clockView {
	b := card.Assessment.Histamine
	if b == nil {
		return nil
	}
	v := &clockView{Budget: *b, Plans: safety.Plans, Manager: p.Actor.IsManager(), Rules: safety.HistamineRules}
	meter := func(label string, h safety.Hours) template.HTML {
		m := drawing.Meter{Label: label, Allowed: h.Allowed, Unknown: h.Unknown, Warn: safety.WarnShare,
			Missing: h.Used == nil, Answered: h.Explained}
		if h.Used != nil {
			m.Used = *h.Used
		}
		return m.Draw()
	}
	v.ToChillMeter = meter("Death to chilling", b.ToChill)
	v.AfterMeter = meter("Above "+p.Temp(safety.ChilledC)+" afterwards", b.After)
	for _, g := range card.Assessment.Gaps {
		if g.Len() >= time.Minute {
			v.Gaps = append(v.Gaps, fmt.Sprintf("%s to %s", p.Stamp(g.From), p.Stamp(g.To)))
		}
	}
	return v
}

// Word is the state in a word.
func (v clockView) Word() string { return stateWord(v.State) }

func stateWord(s safety.State) string {
	return map[safety.State]string{safety.StateOK: "in order", safety.StateWarn: "near its limit",
		safety.StateUnknown: "record missing", safety.StateStop: "stopped"}[s]
}

// oxygenView is the clock of a pack without oxygen.
type oxygenView struct {
	safety.Oxygen
	Meter template.HTML
	Bands []sumRow
	Rules refs.Cited
}

// newOxygen draws it; nil for a lot that never was packed so.
func newOxygen(p page, card kitchen.Card) *oxygenView {
	o := card.Assessment.Oxygen
	if o == nil {
		return nil
	}
	v := &oxygenView{Oxygen: *o, Rules: safety.OxygenRules}
	v.Meter = drawing.Meter{Label: "Time above " + p.Temp(safety.OxygenC), Used: 100 * o.Share, Allowed: 100,
		Warn: safety.WarnShare, Percent: true}.Draw()
	for i, name := range []string{p.Temp(safety.OxygenC) + " to " + p.Temp(5), "to " + p.Temp(10), "to " + p.Temp(21),
		"warmer"} {
		v.Bands = append(v.Bands, sumRow{name, hoursText(o.Bands[i])})
	}
	return v
}

// Word is the state in a word.
func (v oxygenView) Word() string { return stateWord(v.State) }

// packing reads how fish is packed, from fields with a prefix.
func (f *input) packing(prefix string) lot.Packing {
	return lot.Packing{Pack: lot.Pack(f.Text(prefix + "pack")), Tight: f.Text(prefix+"tight") != "", OTR: f.Number(prefix + "film_otr")}
}

// gapExplained reads a manager's explanation of a gap in the records up to a time.
func (f *input) gapExplained(until time.Time) lot.GapExplained {
	x := lot.GapExplained{Until: until, Explanation: f.Text("account"), WarmestC: f.Celsius("warmest_celsius")}
	if h := f.Number("warm_hours", "h"); h != nil {
		x.WarmHours = *h
	}
	return x
}

// tested reads the results of a sampling plan.
func (f *input) tested() lot.Tested {
	plan, ok := safety.GetPlan(f.Text("plan"))
	if f.Text("plan") == safety.OwnPlan {
		plan = safety.Plan{ID: safety.OwnPlan, Name: "Own plan", N: f.MustWhole("n"), C: f.MustWhole("c"),
			M: f.MustNumber("m", "mg/kg"), MostM: f.MustNumber("M", "mg/kg"), Source: "as entered"}
	} else if !ok {
		f.Bad.Add("plan", "choose a sampling plan")
	}
	var results []float64
	for _, word := range strings.FieldsFunc(f.Text("results"), func(r rune) bool {
		return r == ' ' || r == '\n' || r == '\r' || r == '\t' || r == ';'
	}) {
		v, err := unit.ParseNumber(word)
		if err != nil {
			f.Bad.Add("results", "%q is not a number", word)
			return lot.Tested{}
		}
		results = append(results, v)
	}
	return lot.Tested{Plan: plan, Results: results, Lab: f.Text("lab")}
}
