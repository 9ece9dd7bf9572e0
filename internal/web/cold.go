package web

import (
	"context"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// iceView is the station of the cold places.
type iceView struct {
	Plan      template.HTML
	Places    []placeView
	Alarms    []alarmView
	Arrange   bool // the plan is being arranged
	Kinds     []form.Option
	form.Back // of one of its forms, named what-<place>; "new" for a new place
}

// placeView is a place with its drawings.
type placeView struct {
	kitchen.PlaceView
	Line  template.HTML // of its last day
	Box   template.HTML // drawn; "" for what is no box
	Quiet bool          // its probe is silent
}

func (s *Server) ice(c *gin.Context) { s.showIce(c, iceView{}) }

func (s *Server) showIce(c *gin.Context, v iceView) {
	places, err := s.kitchen.Places(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Cold places", "cold", nil)
	v.Arrange = c.Query("arrange") != "" || strings.HasPrefix(v.Came, "plan-")
	for _, kind := range lot.PlaceKinds {
		v.Kinds = append(v.Kinds, form.Option{ID: kind, Name: lot.PlaceKindName(kind)})
	}
	v.Plan = drawing.Plan{Cells: cells(p, places, 0)}.Draw()
	for _, pl := range places {
		v.Places = append(v.Places, newPlaceView(p, pl))
		for _, a := range pl.Alarms {
			v.Alarms = append(v.Alarms, alarmView{a, p})
		}
	}
	p.Data = v
	s.show(c, v.Status(), "cold", p)
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
	f := posted(c)
	f.form = "new"
	n := kitchen.NewPlace{Name: f.Text("name"), Kind: f.Text("kind"), SetC: f.MustCelsius("set"),
		CapacityKg: f.Mass("capacity"), Holds: lot.Holds(f.Text("holds"))}
	s.postPlace(c, f, "/cold", func(ctx context.Context) error { return s.kitchen.AddPlace(ctx, n) })
}

// logPlace notes the temperature of a place, taken by hand.
func (s *Server) logPlace(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "temperature-" + c.Param("id")
	r := kitchen.HandReading{Celsius: f.Celsius("celsius"), MaximumC: f.Celsius("maximum"), At: f.AtOr("at", s.kitchen.Now())}
	places, err := s.kitchen.PlaceList(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	if i := slices.IndexFunc(places, func(p lot.Place) bool { return p.ID == id }); i >= 0 {
		for field, celsius := range map[string]*float64{"celsius": r.Celsius, "maximum": r.MaximumC} {
			if celsius != nil {
				f.odd(field, *celsius-places[i].SetC)
			}
		}
	}
	s.postPlace(c, f, "/cold"+anchor(id), func(ctx context.Context) error {
		return s.kitchen.LogPlaceTemperature(ctx, id, r)
	})
}

// correctReading puts a reading by hand right, or takes it back.
func (s *Server) correctReading(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	r := kitchen.ReadingCorrection{ID: f.UUID("new_id"), PlaceID: id, ProbeID: f.ID("probe"), Reason: f.Text("reason")}
	at, err := strconv.ParseInt(f.Text("read_at"), 10, 64)
	if err != nil {
		f.Bad.Add("at", "is missing")
	}
	r.At = time.UnixMicro(at)
	if !f.Has("unread") {
		celsius := f.MustCelsius("celsius")
		r.Celsius = &celsius
	}
	f.form = handForm(r.ProbeID, r.At)
	s.post(c, f, func(ctx context.Context) (string, error) {
		return fmt.Sprintf("/cold/places/%d#by-hand", id), s.kitchen.CorrectReading(ctx, r)
	}, func(back form.Back) { s.showPlace(c, placePageView{Back: back}) })
}

// handForm names the form that corrects a reading by hand.
func handForm(probeID int64, at time.Time) string {
	return fmt.Sprintf("hand-%d-%d", probeID, at.UnixMicro())
}

// arrange moves a place one step in the plan.
func (s *Server) arrange(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "plan-" + c.Param("id")
	var column, level int
	if n, err := fmt.Sscanf(f.Text("to"), "%d/%d", &column, &level); n < 2 || err != nil {
		f.Bad.Add("to", "choose where it goes")
	}
	s.postPlace(c, f, "/cold?arrange=1", func(ctx context.Context) error { return s.kitchen.SetPlan(ctx, id, column, level) })
}

// postPlace ends a form of the page of the cold places.
func (s *Server) postPlace(c *gin.Context, f *input, to string, do func(context.Context) error) {
	s.post(c, f, func(ctx context.Context) (string, error) { return to, do(ctx) }, func(back form.Back) {
		s.showIce(c, iceView{Back: back})
	})
}
