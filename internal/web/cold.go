package web

import (
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// iceView is the station of the cold places.
type iceView struct {
	Plan    template.HTML
	Places  []placeView
	Alarms  []alarmView
	Arrange bool // the plan is being arranged
	Kinds   []string
	Open    int64  // the place whose form came back; −1 for the form of a new place
	Form    string // which of its forms
	Values  url.Values
	Errors  invalid.Errors
}

// placeView is a place with its drawings.
type placeView struct {
	kitchen.PlaceView
	Line  template.HTML // of its last day
	Box   template.HTML // drawn; "" for what is no box
	Quiet bool          // its probe is silent
}

// Err is what is wrong with a field of the form of a place.
func (v iceView) Err(place int64, field string) string {
	if v.Open != place {
		return ""
	}
	return v.Errors.On(field)
}

// Val is what was typed there.
func (v iceView) Val(place int64, field string) string {
	if v.Open != place {
		return ""
	}
	return v.Values.Get(field)
}

func (s *Server) ice(c *gin.Context) { s.showIce(c, http.StatusOK, iceView{}) }

func (s *Server) showIce(c *gin.Context, status int, v iceView) {
	places, err := s.kitchen.Places(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Cold places", "cold", nil)
	v.Kinds, v.Arrange = lot.PlaceKinds, c.Query("arrange") != "" || v.Form == "plan"
	v.Plan = drawing.Plan{Cells: cells(p, places, 0)}.Draw()
	for _, pl := range places {
		v.Places = append(v.Places, newPlaceView(p, pl))
		for _, a := range pl.Alarms {
			v.Alarms = append(v.Alarms, alarmView{a, p})
		}
	}
	p.Data = v
	s.show(c, status, "cold", p)
}

// newPlaceView draws a place.
func newPlaceView(p page, pl kitchen.PlaceView) placeView {
	line := p.placeLine(pl, coldchain.Span{From: p.Now.Add(-24 * time.Hour), To: p.Now})
	line.Trace = tracePoints(pl.Trace)
	v := placeView{PlaceView: pl, Quiet: pl.Silent(p.Now), Box: iceBox(p, pl)}
	if len(line.Trace) > 0 {
		v.Line = line.Spark()
	}
	return v
}

// placeLine is the line of a place over a span, with its limit, still empty.
func (p page) placeLine(pl kitchen.PlaceView, span coldchain.Span) drawing.ColdLine {
	line := drawing.ColdLine{From: span.From, To: span.To, Zone: p.Zone, Scale: p.Actor.Temps(),
		LimitC: pl.Rules.WarmC, Limit: p.limitText(pl.Rules.WarmC)}
	if math.IsNaN(line.LimitC) {
		line.LimitC = p.Profile.ChilledMaxC
	}
	return line
}

// limitText names a limit, "" where there is none.
func (p page) limitText(limit float64) string {
	if math.IsNaN(limit) {
		return ""
	}
	return p.Temp(limit)
}

// Capacity is what the place takes, in words.
func (v placeView) Capacity(p page) string { return p.Mass(*v.CapacityKg) }

// Limit is the limit of the place in words, "" where it has none.
func (v placeView) Limit(p page) string { return p.limitText(v.Rules.WarmC) }

// cells are the places as the plan shows them; here is the one that the page is
// about.
func cells(p page, places []kitchen.PlaceView, here int64) []drawing.Cell {
	var list []drawing.Cell
	dripped := map[int64]bool{}
	for _, pl := range places {
		if pl.Below != nil {
			dripped[pl.Below.ID] = true
		}
	}
	for _, pl := range places {
		cell := drawing.Cell{Href: fmt.Sprintf("%s/cold/places/%d", p.Base, pl.ID), Name: pl.Name, Kind: pl.Kind,
			Column: pl.Column, Level: pl.Level, State: "quiet",
			Temp: "no probe", Says: plural(pl.LotCount, "lot"), Fill: -1, Ready: pl.Holds == lot.HoldsReady,
			Dripped: dripped[pl.ID], Mark: pl.ID == here}
		switch {
		case pl.Box != nil && pl.Ice.Left(p.Now) > 0:
			cell.Temp, cell.State = "in ice", "ok"
			cell.Says = fmt.Sprintf("%s, %s of ice", cell.Says, p.Mass(pl.Ice.Left(p.Now)))
		case pl.Latest != nil:
			cell.Temp, cell.State = p.Temp(pl.Latest.Celsius), "ok"
		}
		if pl.CapacityKg != nil {
			cell.Fill = pl.LotKg / *pl.CapacityKg
		}
		switch {
		case pl.Silent(p.Now):
			cell.State, cell.Says = "warn", "probe silent"
		case pl.Warm():
			cell.State, cell.Says = "warn", "above "+p.Temp(pl.Rules.WarmC)
		}
		for _, a := range pl.Alarms {
			if a.Lasts() {
				cell.State, cell.Says = "warn", a.What().Name()
				if a.Stops {
					cell.State = "stop"
				}
			}
		}
		list = append(list, cell)
	}
	return list
}

func (s *Server) addPlace(c *gin.Context) {
	f := newForm(c)
	n := kitchen.NewPlace{Name: f.text("name"), Kind: f.text("kind"), SetC: f.mustCelsius("set"),
		CapacityKg: f.mass("capacity"), Holds: lot.Holds(f.text("holds"))}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.AddPlace(c.Request.Context(), n)
	}
	s.afterPlace(c, -1, "", err)
}

// mass reads a mass of any size; nil for an empty field.
func (f *form) mass(field string) *float64 {
	if f.text(field) == "" {
		return nil
	}
	v := f.kilograms(field)
	return &v
}

// logPlace notes the temperature of a place, taken by hand.
func (s *Server) logPlace(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	r := kitchen.HandReading{Celsius: f.celsius("celsius"), MaximumC: f.celsius("maximum"), At: f.when("at", s.kitchen.Now())}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.LogPlaceTemperature(c.Request.Context(), id, r)
	}
	s.afterPlace(c, id, "temperature", err)
}

// arrange moves a place one step in the plan.
func (s *Server) arrange(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	err := s.kitchen.SetPlan(c.Request.Context(), id, f.whole("column"), f.whole("level"))
	if err == nil {
		c.Redirect(http.StatusSeeOther, s.base(c)+"/cold?arrange=1")
		return
	}
	s.afterPlace(c, id, "plan", err)
}

func (s *Server) afterPlace(c *gin.Context, place int64, form string, err error) {
	v := iceView{Open: place, Form: form, Values: c.Request.PostForm}
	switch {
	case err == nil:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/cold"+anchor(place))
	case errors.As(err, &v.Errors):
		s.showIce(c, http.StatusUnprocessableEntity, v)
	default:
		s.fail(c, err)
	}
}
