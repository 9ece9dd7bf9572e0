package web

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/web/form"
)

// planView plans the ice of a trip.
type planView struct {
	form.Back
	Boxes   []lot.Place
	Species species.Species
	Plan    *icing.Plan
	Methods []methodView
	Chart   template.HTML
	Box     template.HTML
}

// methodView is a method of icing with how fast it cools.
type methodView struct {
	icing.Cooling
	Chills, Holds string
}

// BoxChoices are the boxes with what they hold.
func (v planView) BoxChoices() []form.Option {
	var list []form.Option
	for _, b := range v.Boxes {
		list = append(list, form.Option{ID: strconv.FormatInt(b.ID, 10), Name: fmt.Sprintf("%s · %.0f l", b.Name, b.Box.Litres())})
	}
	return list
}

// icePlan is a form without a state of its own: its address is the plan.
func (s *Server) icePlan(c *gin.Context) {
	p := s.page(c, "Plan the ice", "cold", nil)
	v := planView{Back: unsent(c)}
	var err error
	if v.Boxes, err = s.kitchen.Boxes(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	if v.Sent = v.Values.Has("species"); v.Sent {
		v.Quiet = v.Values.Has("preview")
		v.plan(inputOf(c, v.Values), p)
	}
	p.Data = v
	s.show(c, v.Status(), "iceplan", p)
}

// plan reads the fields and calculates.
func (v *planView) plan(f *input, p page) {
	if v.Species = f.species("species"); v.Species.ID == "" && f.Bad.On("species") == "" {
		f.Bad.Add("species", "is not in the catalogue")
	}
	trip := icing.Trip{Species: v.Species, FishKg: f.MustMass("weight_kg"), Count: max(1, f.MustWhole("count")),
		FromC: f.MustCelsius("from"), OutsideC: f.MustCelsius("outside"), Hours: f.MustNumber("hours", "h")}
	if mm := f.Number("thickness_mm", "mm"); mm != nil {
		trip.ThicknessMM = *mm
	}
	at := slices.IndexFunc(v.Boxes, func(b lot.Place) bool { return strconv.FormatInt(b.ID, 10) == f.Text("place_id") })
	switch {
	case at >= 0:
		trip.Box = *v.Boxes[at].Box
	case len(v.Boxes) == 0:
		f.Bad.Add("place_id", "there is no box with sides and walls yet: give them on the page of the cold places")
	default:
		f.Bad.Add("place_id", "choose a box")
	}
	if v.Mark(f.Bad); len(f.Bad) > 0 {
		return
	}
	plan, err := trip.Plan()
	if err != nil {
		v.Errors.Add("from", "%v", err)
		return
	}
	v.Plan = &plan
	v.draw(p, trip)
}

func (v *planView) draw(p page, trip icing.Trip) {
	limit := p.Profile.ReceiveLimit(v.Species)
	chart := drawing.Curves{Scale: p.Actor.Temps(), LimitC: limit, Limit: "receiving limit " + p.Temp(limit) + ", " +
		p.Profile.Name}
	for _, c := range v.Plan.Methods {
		v.Methods = append(v.Methods, methodView{c, reached(c.Chilled.Hours(), c.Chilled == heat.Never),
			reached(c.Held.Hours(), c.Held == heat.Never)})
		chart.Lines = append(chart.Lines, drawing.Curve{Name: c.Method.Name, Points: c.Curve})
		if c.Held != heat.Never {
			chart.Hours = math.Max(chart.Hours, c.Held.Hours())
		}
	}
	chart.Hours = math.Min(math.Max(math.Ceil(chart.Hours), 2), mostCharted)
	v.Chart = chart.Draw()
	v.Box = drawing.IceBox{Share: 1, Wall: trip.Box.WallMM / trip.Box.LengthMM, Fish: 2,
		Filled: v.Plan.FillLitres / trip.Box.Litres()}.Draw()
}

// mostCharted bounds the hours of the chart: a method that takes longer leaves it.
const mostCharted = 12

func reached(hours float64, never bool) string {
	switch {
	case never:
		return "never"
	case hours <= 0:
		return "at once"
	case hours < 1:
		return strconv.Itoa(int(math.Round(hours*60))) + " min"
	}
	return unit.Number(hours, 1) + " h"
}
