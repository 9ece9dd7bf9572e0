package web

import (
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
)

// planView plans the ice of a trip.
type planView struct {
	formInput
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

// icePlan is a form without a state of its own: its address is the plan.
func (s *Server) icePlan(c *gin.Context) {
	p := s.page(c, "Plan the ice", "cold", nil)
	v := planView{formInput: formInput{Values: c.Request.URL.Query()}}
	var err error
	if v.Boxes, err = s.kitchen.Boxes(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	status := http.StatusOK
	if v.Values.Has("species") {
		if v.plan(p); len(v.Errors) > 0 {
			status = http.StatusUnprocessableEntity
		}
	} else {
		v.Values = url.Values{"hours": {"8"}, "outside": {p.TempField(18)}}
		if len(v.Boxes) > 0 {
			v.Values.Set("place_id", strconv.FormatInt(v.Boxes[0].ID, 10))
		}
	}
	p.Data = v
	if isPart(c) {
		s.render(c, status, "iceplan", "plan", p)
		return
	}
	s.show(c, status, "iceplan", p)
}

// plan reads the fields and calculates.
func (v *planView) plan(p page) {
	f := &form{values: v.Values, actor: p.Actor}
	if v.Species = f.species("species"); v.Species.ID == "" && f.bad.On("species") == "" {
		f.bad.Add("species", "is not in the catalogue")
	}
	trip := icing.Trip{Species: v.Species, FishKg: f.kilograms("weight_kg"), Count: max(1, f.whole("count")),
		FromC: f.mustCelsius("from"), OutsideC: f.mustCelsius("outside"), Hours: f.mustNumber("hours", "h")}
	if mm := f.number("thickness_mm", "mm"); mm != nil {
		trip.ThicknessMM = *mm
	}
	at := slices.IndexFunc(v.Boxes, func(b lot.Place) bool { return strconv.FormatInt(b.ID, 10) == f.text("place_id") })
	switch {
	case at >= 0:
		trip.Box = *v.Boxes[at].Box
	case len(v.Boxes) == 0:
		f.bad.Add("place_id", "there is no box with sides and walls yet: give them on the page of the cold places")
	default:
		f.bad.Add("place_id", "choose a box")
	}
	if v.Errors = f.bad; len(v.Errors) > 0 {
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
