package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/api"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/unit"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
)

// probesView lists the probes.
type probesView struct {
	Probes         []kitchen.ProbeView
	Places         []lot.Place
	namedFormInput // "new" or "watching"
}

func (s *Server) probes(c *gin.Context) { s.showProbes(c, http.StatusOK, probesView{}) }

func (s *Server) showProbes(c *gin.Context, status int, v probesView) {
	var err error
	p := s.page(c, "Probes", "cold", nil)
	if v.Probes, err = s.kitchen.Probes(c.Request.Context()); err == nil {
		v.Places, err = s.kitchen.PlaceList(c.Request.Context())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	if site := p.Actor.Site; v.Form == "" {
		v.Form, v.Values = "watching", url.Values{"quiet_from": {site.QuietFrom}, "quiet_to": {site.QuietTo},
			"altitude": {unit.Number(site.AltitudeM, 0)}, "check_days": {strconv.FormatInt(site.CheckDays, 10)}}
	}
	p.Data = v
	s.show(c, status, "probes", p)
}

func (s *Server) addProbe(c *gin.Context) {
	f := newForm(c)
	n := kitchen.NewProbe{Name: f.text("name"), Kind: f.text("kind"), PlaceID: f.id("place_id"),
		Since: f.when("since", s.kitchen.Now())}
	if m := f.number("interval", "min"); m != nil {
		n.Interval = time.Duration(*m * float64(time.Minute))
		if !(*m >= 0.1 && *m <= 24*60) {
			f.bad.Add("interval", "must be between 0.1 minutes and a day")
		}
	}
	if n.Kind != kitchen.Fixed && n.Kind != kitchen.Hygrometer {
		n.PlaceID = 0
	}
	err := f.bad.Err()
	var added kitchen.Probe
	if err == nil {
		added, err = s.kitchen.AddProbe(c.Request.Context(), n)
	}
	v := probesView{namedFormInput: namedFormInput{formInput{Values: c.Request.PostForm}, "new"}}
	switch {
	case err == nil:
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("%s/cold/probes/%d", s.base(c), added.ID))
	case errors.As(err, &v.Errors):
		s.showProbes(c, http.StatusUnprocessableEntity, v)
	default:
		s.fail(c, err)
	}
}

// probeView is one probe.
type probeView struct {
	kitchen.ProbePage
	Token          string // just made: shown once
	Methods        []probe.Method
	Manager        bool
	namedFormInput // "check", "move" or "reassign"
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

func (s *Server) probe(c *gin.Context) { s.showProbe(c, http.StatusOK, probeView{}) }

func (s *Server) showProbe(c *gin.Context, status int, v probeView) {
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
	v.Methods, v.Manager = probe.Methods, p.Actor.IsManager()
	p.Data = v
	s.show(c, status, "probe", p)
}

// afterProbe goes back to the probe, or shows it with the form that did not
// succeed.
func (s *Server) afterProbe(c *gin.Context, form string, err error) {
	v := probeView{namedFormInput: namedFormInput{formInput{Values: c.Request.PostForm}, form}}
	switch {
	case err == nil:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/cold/probes/"+c.Param("id"))
	case errors.As(err, &v.Errors):
		s.showProbe(c, http.StatusUnprocessableEntity, v)
	default:
		s.fail(c, err)
	}
}

func (s *Server) moveProbe(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	place, since := f.id("place_id"), f.when("since", s.kitchen.Now())
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.MoveProbe(c.Request.Context(), id, place, since)
	}
	s.afterProbe(c, "move", err)
}

func (s *Server) checkProbe(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	n := kitchen.NewCheck{ID: f.uuid("id"), ProbeID: id, Method: probe.Method(f.text("method")), Note: f.text("note"),
		AltitudeM: f.actor.Site.AltitudeM, ReadC: f.boiling("read")}
	if n.Method == probe.Reference {
		n.TrueC = f.mustCelsius("true")
	}
	if m := f.number("altitude", "m"); m != nil {
		n.AltitudeM = *m
	}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.CheckProbe(c.Request.Context(), n)
	}
	s.afterProbe(c, "check", err)
}

// boiling reads a temperature up to that of boiling water, which fish never has.
func (f *form) boiling(field string) float64 {
	return f.given(field, f.read(field, unit.ParseTemperature))
}

func (s *Server) reassign(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	from, until := f.at("from"), f.at("until")
	if from == nil {
		f.bad.Add("from", "give the day and the hour")
	}
	if until == nil {
		f.bad.Add("until", "give the day and the hour")
	}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.ReassignReadings(c.Request.Context(), id, f.id("to"), coldchain.Span{From: *from, To: *until})
	}
	s.afterProbe(c, "reassign", err)
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
	s.showProbe(c, http.StatusOK, probeView{Token: token})
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
