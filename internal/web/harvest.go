package web

import (
	"fmt"
	"html/template"
	"slices"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/rigor"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// harvestView is what the lot card says of the time from death to dock.
type harvestView struct {
	Drawing  template.HTML // "" where the time of death was not written down
	Death    lot.Moment
	Known    bool // anything was written down
	Bleeding *assess.Bleeding
	Rigor    *assess.Rigor
	Bans     []assess.Ban
	Where    string
	Source   refs.Cited
}

// newHarvest gathers it.
func newHarvest(p page, card kitchen.Card) *harvestView {
	s, a := card.State, card.Assessment
	v := &harvestView{Known: s.Harvest.Known(), Bleeding: a.Bleeding, Rigor: a.Rigor, Bans: a.Bans(),
		Source: rigor.Source()}
	death, ok := s.Death()
	if !ok || !v.Known {
		return v
	}
	v.Death = death
	d := drawing.Harvest{Death: death.At, Now: a.At, Zone: p.Zone, Steps: harvestSteps(s)}
	if r := a.Rigor; r != nil {
		d.Onset, d.End = [2]time.Time{r.At(r.Onset.Lo()), r.At(r.Onset.Hi())}, [2]time.Time{r.MayBeOver(), r.Over()}
	}
	if b := a.Histamine; b != nil {
		d.Chill, d.ChillFor = death.At.Add(time.Duration(b.ToChill.Allowed*float64(time.Hour))),
			fmt.Sprintf("chill within %.0f h", b.ToChill.Allowed)
	}
	v.Drawing = d.Draw()
	if c := s.Harvest.Caught; c != nil {
		v.Where = p.Says(c.Data, card)
	}
	return v
}

// harvestSteps are the steps as the drawing shows them, the assumed ones too.
func harvestSteps(s *lot.State) []drawing.HarvestStep {
	h := s.Harvest
	var steps []drawing.HarvestStep
	add := func(k lot.Kind, at time.Time, until *time.Time) {
		step := drawing.HarvestStep{Name: k.Name(), At: at}
		if until != nil {
			step.Until = *until
		}
		steps = append(steps, step)
	}
	if h.Caught != nil {
		add(lot.KindFor[lot.Caught](), h.Caught.At, nil)
	}
	if h.Killed != nil {
		add(lot.KindFor[lot.Killed](), h.Killed.At, nil)
	} else if death, ok := s.Death(); ok {
		steps = append(steps, drawing.HarvestStep{Name: "Died", At: death.At, Assumed: true})
	}
	if h.Bled != nil && h.Bled.Data.How != "none" {
		add(lot.KindFor[lot.Bled](), h.Bled.At, h.Bled.Data.Until)
	}
	if h.Gutted != nil {
		add(lot.KindFor[lot.Gutted](), h.Gutted.At, nil)
	}
	if h.Washed != nil {
		add(lot.KindFor[lot.Washed](), h.Washed.At, nil)
	}
	if h.Iced != nil {
		add(lot.KindFor[lot.Iced](), h.Iced.At, nil)
	}
	if !s.Received.OwnCatch {
		add(lot.KindFor[lot.Received](), s.ReceivedAt, nil)
	}
	slices.SortStableFunc(steps, func(a, b drawing.HarvestStep) int { return a.At.Compare(b.At) })
	return steps
}
