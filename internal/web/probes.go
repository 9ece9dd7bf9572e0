package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/api"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/probe"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// probesView lists the probes.
type probesView struct {
	Probes    []kitchen.ProbeView
	Places    []lot.Place
	form.Back // "new" or "watching"
}

func (s *Server) probes(c *gin.Context) { s.showProbes(c, probesView{}) }

func (s *Server) showProbes(c *gin.Context, v probesView) {
	var err error
	p := s.page(c, "Probes", "cold", nil)
	if v.Probes, err = s.kitchen.Probes(c.Request.Context()); err == nil {
		v.Places, err = s.kitchen.PlaceList(c.Request.Context())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "probes", p)
}

func (s *Server) addProbe(c *gin.Context) {
	f := posted(c)
	f.form = "new"
	n := kitchen.NewProbe{Name: f.Text("name"), Kind: f.Text("kind"), PlaceID: f.ID("place_id"),
		Since: f.AtOr("since", s.kitchen.Now())}
	if m := f.Number("interval", "min"); m != nil {
		n.Interval = time.Duration(*m * float64(time.Minute))
		if !(*m >= 0.1 && *m <= 24*60) {
			f.Bad.Add("interval", "must be between 0.1 minutes and a day")
		}
	}
	if n.Kind != kitchen.Fixed && n.Kind != kitchen.Hygrometer {
		n.PlaceID = 0
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		added, err := s.kitchen.AddProbe(ctx, n)
		return fmt.Sprintf("/cold/probes/%d", added.ID), err
	}, func(back form.Back) { s.showProbes(c, probesView{Back: back}) })
}

// Kinds are what a probe may be.
func (probesView) Kinds() []form.Option {
	return []form.Option{{ID: kitchen.Fixed, Name: "Probe in a place"},
		{ID: kitchen.Hygrometer, Name: "Hygrometer in an ageing cabinet"}, {ID: kitchen.Thermometer, Name: "Handheld thermometer"},
		{ID: kitchen.Scale, Name: "Weighing scale"}}
}

// probeView is one probe.
type probeView struct {
	kitchen.ProbePage
	Token     string // just made: shown once
	form.Back        // "check", "move" or "reassign"
}

// AheadHours is how far its clock is ahead.
func (v probeView) AheadHours() float64 { return float64(v.AheadS) / 3600 }

// probeKind is what a probe is, in words.
func probeKind(kind string) string {
	return map[string]string{kitchen.Fixed: "Probe in a place", kitchen.LoggerFile: "Logger file",
		kitchen.ByHand: "By hand", kitchen.MaximumSeen: "Highest seen", kitchen.Thermometer: "Handheld thermometer", kitchen.Scale: "Scale",
		kitchen.Hygrometer: "Hygrometer"}[kind]
}

// Boils is where water boils at the kitchen's altitude, °C.
func (v probeView) Boils(p page) float64 { return probe.BoilingC(p.Actor.Site.AltitudeM) }

// Offset is what is added to its readings now, K.
func (v probeView) Offset() float64 {
	if v.Check == nil {
		return 0
	}
	return v.Check.OffsetC
}

// MethodName is a method in words.
func (probeView) MethodName(m string) string { return probe.Method(m).Name() }

func (s *Server) probe(c *gin.Context) { s.showProbe(c, probeView{}) }

func (s *Server) showProbe(c *gin.Context, v probeView) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	var err error
	if v.ProbePage, err = s.kitchen.ProbePage(c.Request.Context(), id); err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, v.Name, "cold", nil)
	p.Data = v
	s.show(c, v.Status(), "probe", p)
}

// MoveTo is what it may measure.
func (v probeView) MoveTo() []form.Option {
	list := []form.Option{{ID: "0", Name: "nothing: out of use"}}
	for _, p := range v.Places {
		list = append(list, form.Option{ID: strconv.FormatInt(p.ID, 10), Name: p.Name})
	}
	return list
}

// Sends reports whether it is a device that sends what it reads, and needs a token for that.
func (v probeView) Sends() bool {
	return slices.Contains([]string{kitchen.Fixed, kitchen.Hygrometer, kitchen.Thermometer, kitchen.Scale}, v.Kind)
}

// Methods are how it may be checked.
func (probeView) Methods() []probe.Method { return probe.Methods }

// postProbe ends a form of the page of a probe.
func (s *Server) postProbe(c *gin.Context, f *input, name string, do func(context.Context) error) {
	f.form = name
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/cold/probes/" + c.Param("id"), do(ctx)
	}, func(back form.Back) { s.showProbe(c, probeView{Back: back}) })
}

func (s *Server) moveProbe(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	place, since := f.ID("place_id"), f.AtOr("since", s.kitchen.Now())
	s.postProbe(c, f, "move", func(ctx context.Context) error { return s.kitchen.MoveProbe(ctx, id, place, since) })
}

func (s *Server) checkProbe(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	n := kitchen.NewCheck{ID: f.UUID("new_id"), ProbeID: id, Method: probe.Method(f.Text("method")), Note: f.Text("note"),
		AltitudeM: f.actor.Site.AltitudeM, ReadC: f.MustBoiling("read")}
	if n.Method == probe.Reference {
		n.TrueC = f.MustCelsius("true")
	}
	if m := f.Number("altitude", "m"); m != nil {
		n.AltitudeM = *m
	}
	s.postProbe(c, f, "check", func(ctx context.Context) error { return s.kitchen.CheckProbe(ctx, n) })
}

func (s *Server) reassign(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	span := coldchain.Span{From: f.MustAt("from"), To: f.MustAt("until")}
	s.postProbe(c, f, "reassign", func(ctx context.Context) error {
		return s.kitchen.ReassignReadings(ctx, id, f.ID("to"), span)
	})
}

// probeToken makes the token with which the probe sends, and shows it once.
func (s *Server) probeToken(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	token, err := s.kitchen.ProbeToken(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	s.showProbe(c, probeView{Token: token})
}

// valueWithin is how old the last value of a handheld device may be for a form.
const valueWithin = 2 * time.Minute

// lastValue sends the last value of the kitchen's thermometer or scale, as the
// person reads it, for a button beside a field.
func (s *Server) lastValue(c *gin.Context) {
	p := s.page(c, "", "", nil)
	kind := c.Param("kind")
	row, err := s.kitchen.LastValue(c.Request.Context(), kind, valueWithin)
	if err != nil {
		api.Fail(c, s.log, err)
		return
	}
	text := p.TempField(row.Value)
	if kind == kitchen.Scale {
		text = p.MassField(row.Value)
	}
	c.Header("Cache-Control", "no-store")
	httpx.WriteJSON(c, http.StatusOK, map[string]any{"value": text, "name": row.Name, "at": row.At})
}
