package web

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// whatIfView compares where some lots could lie.
type whatIfView struct {
	Shelves []kitchen.PlaceLots // to choose from
	Chosen  map[string]bool
	At      string // the hour of service, as typed
	Service time.Time
	Lots    []whatIfLot
	Places  []assess.Outcome // to which all may be moved
	Most    float64          // days that fill a bar
	form.Back
}

// whatIfLot is one of them.
type whatIfLot struct {
	kitchen.WhatIfLot
	Rows []whatIfRow
}

// whatIfRow is one option.
type whatIfRow struct {
	assess.Outcome
	Bar  template.HTML
	Here bool
	Gain string // against where it lies
}

// serviceOf reads the hour of service: the next one of the clock; the kitchen's
// next service where it says nothing.
func (p page) serviceOf(text string) (time.Time, string, bool) {
	next := func(clock string) (time.Time, bool) {
		t, err := time.Parse("15:04", clock)
		if err != nil {
			return time.Time{}, false
		}
		local := p.Now.In(p.Zone)
		at := time.Date(local.Year(), local.Month(), local.Day(), t.Hour(), t.Minute(), 0, 0, p.Zone)
		if !at.After(p.Now) {
			at = at.AddDate(0, 0, 1)
		}
		return at, true
	}
	if text != "" {
		at, ok := next(text)
		return at, text, ok
	}
	var soonest time.Time
	clock := ""
	for _, hour := range p.Actor.Site.ServiceHours {
		if at, ok := next(hour); ok && (soonest.IsZero() || at.Before(soonest)) {
			soonest, clock = at, hour
		}
	}
	if clock == "" {
		return p.Now.Add(12 * time.Hour), p.Now.Add(12 * time.Hour).In(p.Zone).Format("15:04"), true
	}
	return soonest, clock, true
}

func (s *Server) whatIf(c *gin.Context) { s.showWhatIf(c, unsent(c)) }

func (s *Server) showWhatIf(c *gin.Context, back form.Back) {
	p := s.page(c, "What if", "cold", nil)
	v := whatIfView{Chosen: map[string]bool{}, Back: back}
	var ok bool
	if v.Service, v.At, ok = p.serviceOf(v.Val("at")); !ok {
		v.Errors.Add("at", "write an hour like 19:00")
		v.Service, _, _ = p.serviceOf("")
	}
	board, err := s.kitchen.Board(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Shelves = board.ByPlace()
	var ids []uuid.UUID
	for _, text := range v.Values["lot"] {
		if id, err := uuid.Parse(text); err == nil && !v.Chosen[text] {
			ids, v.Chosen[text] = append(ids, id), true
		}
	}
	if len(ids) > 0 {
		found, err := s.kitchen.WhatIf(c.Request.Context(), ids, v.Service)
		var wrong invalid.Errors
		if errors.As(err, &wrong) {
			v.Errors = append(v.Errors, wrong...)
		} else if err != nil {
			s.fail(c, err)
			return
		}
		v.fill(p, found)
	}
	p.Data = v
	s.show(c, v.Status(), "whatif", p)
}

// fill draws the bars, all to one scale.
func (v *whatIfView) fill(p page, found kitchen.WhatIf) {
	var days []float64
	for _, l := range found.Lots {
		for _, o := range l.Outcomes {
			if o.Fits {
				days = append(days, o.RealDays)
			}
		}
	}
	v.Most = drawing.Nice(days...)
	for _, l := range found.Lots {
		here := math.NaN()
		for _, o := range l.Outcomes {
			if o.PlaceID == l.Here && l.Here != 0 {
				here = o.RealDays
			}
		}
		x := whatIfLot{WhatIfLot: l}
		for _, o := range l.Outcomes {
			row := whatIfRow{Outcome: o, Here: o.PlaceID == l.Here && o.PlaceID != 0}
			bar := drawing.Life{Days: o.RealDays, Most: v.Most, Service: v.Service.Sub(p.Now).Hours() / 24, Stops: -1,
				Here: row.Here, Fits: o.Fits, Label: fmt.Sprintf("%s: %s", o.Name, lifeText(o.RealDays))}
			if !o.StopsAt.IsZero() {
				bar.Stops = o.StopsAt.Sub(p.Now).Hours() / 24
			}
			row.Bar = bar.Draw()
			if gain := o.RealDays - here; !row.Here && !math.IsNaN(gain) && !math.IsInf(gain, 0) &&
				math.Abs(gain) >= 0.05 {
				row.Gain = unit.Signed(gain, 1) + " d"
			}
			x.Rows = append(x.Rows, row)
		}
		v.Lots = append(v.Lots, x)
	}
	if len(v.Lots) > 1 {
		for _, o := range found.Lots[0].Outcomes {
			away := func(l kitchen.WhatIfLot) bool { return l.Here != o.PlaceID }
			if o.PlaceID != 0 && slices.ContainsFunc(found.Lots, away) && !slices.ContainsFunc(found.Lots,
				func(l kitchen.WhatIfLot) bool { return away(l) && !movable(l, o.PlaceID) }) {
				v.Places = append(v.Places, o)
			}
		}
	}
}

// movable reports whether a lot may be moved to a place.
func movable(l kitchen.WhatIfLot, place int64) bool {
	return slices.ContainsFunc(l.Outcomes, func(o assess.Outcome) bool { return o.PlaceID == place && o.Movable })
}

// LifeText writes a life there.
func (r whatIfRow) LifeText() string { return lifeText(r.RealDays) }

// Says is what the lot has left when it is served, and what it is fit for then.
func (r whatIfRow) Says() string {
	var says []string
	if !math.IsNaN(r.AtService) {
		says = append(says, unit.Number(r.AtService, 1)+" fresh days left when served")
	}
	if len(r.Uses) > 0 {
		says = append(says, "then fit: "+r.fit())
	}
	if percent := math.Round(100 * r.Budget); percent >= 1 {
		says = append(says, fmt.Sprintf("safety budget %.0f %% used", percent))
	}
	return strings.Join(says, " · ")
}

func (r whatIfRow) fit() string {
	var fit []string
	for _, u := range r.Uses {
		if u.OK && (u.ID == string(lot.GateRaw) || u.ID == string(lot.GateCook)) {
			fit = append(fit, u.Name)
		}
	}
	if len(fit) == 0 {
		return "neither raw nor cook"
	}
	return strings.Join(fit, ", ")
}

func lifeText(d float64) string {
	if math.IsInf(d, 1) {
		return "paused while frozen"
	}
	return days(d)
}

// Why is the reason against an option, in a line.
func (r whatIfRow) Why() string { return strings.Join(r.Against, "; ") }

// moveAll moves the chosen lots to a place and shows them there.
func (s *Server) moveAll(c *gin.Context) {
	f := posted(c)
	moves := map[uuid.UUID]uuid.UUID{}
	chosen := f.All("lot")
	for _, text := range chosen {
		id, err := uuid.Parse(text)
		if err != nil {
			continue
		}
		moves[id] = f.UUID("event-" + text)
	}
	if len(moves) == 0 {
		f.Bad.Add("lots", "choose at least one lot")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		err := s.kitchen.MoveAll(ctx, f.ID("place_id"), moves)
		if err == nil {
			s.offerUndo(c, "Moved", moves)
		}
		return "/cold/whatif?" + url.Values{"lot": chosen, "at": {f.Text("at")}}.Encode(), err
	}, func(back form.Back) {
		s.showWhatIf(c, back)
	})
}

// exposureView is what a span of a lot's way did to it.
type exposureView struct {
	kitchen.Exposure
	Row  kitchen.Row
	Sums []sumRow
	form.Back
}

// kindName says how well a temperature is known, in words.
func kindName(k coldchain.Kind) string {
	return map[coldchain.Kind]string{coldchain.Logged: "a probe or logger", coldchain.Spot: "readings by hand",
		coldchain.InIce: "ice around it", coldchain.Assumed: "assumed: nobody measured"}[k]
}

// exposure integrates a lot's temperatures over any span: the last day where the
// address names none.
func (s *Server) exposure(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	var err error
	p := s.page(c, "Exposure", "", nil)
	f := asked(c)
	span, _ := spanOf(f, p.Now)
	v := exposureView{Back: form.Back{Values: url.Values{"from": {p.Local(span.From)}, "to": {p.Local(span.To)}}, Errors: f.Bad}}
	if v.Row, err = s.kitchen.Row(c.Request.Context(), id); err != nil {
		s.fail(c, err)
		return
	}
	if v.Exposure, err = s.kitchen.Exposure(c.Request.Context(), id, span); err != nil && !errors.As(err, &v.Errors) {
		s.fail(c, err)
		return
	}
	var assumed float64
	for _, st := range v.Stretches {
		for _, part := range st.Parts {
			if part.Kind == coldchain.Assumed {
				assumed += part.Exposure.Covered.Hours()
			}
		}
	}
	v.Sums = append([]sumRow{{"On record", hoursText(v.Total.Covered.Hours() - assumed)},
		{"Assumed", hoursText(assumed)}}, did(p, v.Total, p.Profile.ChilledLimit(v.Row.Species))...)
	p.Data = v
	s.show(c, v.Status(), "exposure", p)
}
