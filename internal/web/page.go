package web

import (
	"bytes"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"math"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/rigor"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
	"leancatch/internal/wording"
)

//go:embed views/*.html
var viewFiles embed.FS

// views are the pages, each with the layout and the partials.
type views map[string]*template.Template

func parseViews() (views, error) {
	shared := template.New("").Funcs(template.FuncMap{
		"icon": icon, "args": args, "days": days, "num": unit.Number, "signed": unit.Signed, "formName": lot.FormName,
		"iceName":     lot.IceName,
		"senseOrders": func() []freshness.SenseOrder { return freshness.SenseOrders },
		"placeKind":   lot.PlaceKindName, "money": func(cents int64) string {
			return fmt.Sprintf("%.2f", float64(cents)/100)
		},
		"seq": func(n int) []int { return make([]int, n) }, "add": func(a, b int) int { return a + b }, "pct": pct,
		"span":      func(a, b float64) string { return pct(b - a) },
		"boxFields": func() []boxField { return boxFields }, "boxAirs": boxAirs, "hazardTags": hazardTags, "keeps": keeps, "optional": optional,
		"allHolds": func() []lot.Holds { return lot.AllHolds }, "holdsName": lot.HoldsName, "probeKind": probeKind,
		"faoAreas": faoAreas, "holdings": func() []form.Option { return named(lot.AllHolds, lot.HoldsName) },
		"forms": func() []form.Option { return named(lot.Forms, lot.FormName) },
		"ices":  func() []form.Option { return named(lot.IceStates, lot.IceName) },
		"packs": func() []lot.Pack { return lot.Packs }, "kindName": kindName,
		"bodyName": bodyName, "endUse": wording.ThawedFor, "spanText": spanText,
		"kin":     func() rigor.Basis { return rigor.OtherSpecies },
		"percent": func(share float64) float64 { return 100 * share }, "own": func() []string {
			return []string{"n", "c", "m", "M"}
		},
		"agentName": agentName, "neg": func(v float64) float64 { return -v }, "minute": func(t time.Time) int64 { return t.Unix() / 60 },
		"digits": func() []string { return []string{"1", "2", "3", "4", "5", "6", "7", "8", "9", "", "0", "⌫"} },
		"keys": func() []string {
			return []string{"1", "2", "3", "4", "5", "6", "7", "8", "9", ".", "0", "⌫",
				"−"}
		},
	})
	for _, path := range []string{"views/layout.html", "views/parts.html", "views/fields.html"} {
		if err := parseView(shared, path); err != nil {
			return nil, err
		}
	}
	pages, err := fs.Glob(viewFiles, "views/*.html")
	if err != nil {
		return nil, err
	}
	out := views{}
	for _, path := range pages {
		name := strings.TrimSuffix(strings.TrimPrefix(path, "views/"), ".html")
		if slices.Contains([]string{"layout", "parts", "fields"}, name) {
			continue
		}
		t, err := shared.Clone()
		if err != nil {
			return nil, err
		}
		if err := parseView(t, path); err != nil {
			return nil, err
		}
		out[name] = t
	}
	return out, nil
}

// indents is the white space between lines: to a browser it is one space, and a
// third of a page with hundreds of rows.
var indents = regexp.MustCompile(`\s*\n\s*`)

func parseView(t *template.Template, path string) error {
	text, err := viewFiles.ReadFile(path)
	if err != nil {
		return err
	}
	if _, err := t.Parse(indents.ReplaceAllString(string(text), " ")); err != nil {
		_, err = t.Parse(string(text)) // again, for the line that is wrong
		return fmt.Errorf("%s: %w", path, err)
	}
	return nil
}

// named are options of a list of ids, with their names.
func named[T ~string](ids []T, name func(T) string) []form.Option {
	var list []form.Option
	for _, id := range ids {
		list = append(list, form.Option{ID: string(id), Name: name(id)})
	}
	return list
}

// icon is a sign of the page's own set, in px; a word beside it says what it means.
func icon(name string, size int) template.HTML {
	return template.HTML(fmt.Sprintf(`<svg width="%d" height="%d" aria-hidden="true"><use href="#i-%s"/></svg>`, size,
		size, name))
}

// args makes a map of names and values for a partial.
func args(pairs ...any) (map[string]any, error) {
	if len(pairs)%2 != 0 {
		return nil, errors.New("args: a name without a value")
	}
	m := map[string]any{}
	for i := 0; i < len(pairs); i += 2 {
		name, ok := pairs[i].(string)
		if !ok {
			return nil, fmt.Errorf("args: %v is not a name", pairs[i])
		}
		m[name] = pairs[i+1]
	}
	return m, nil
}

// pct writes thousandths as a percentage of a drawing's width.
func pct(thousandths float64) string { return strconv.FormatFloat(thousandths/10, 'f', 2, 64) + "%" }

// days writes a length of time in days, short ones in hours.
func days(d float64) string {
	switch {
	case math.IsNaN(d):
		return "—"
	case d <= 0:
		return "over"
	case d < 1:
		return fmt.Sprintf("%.0f h", d*24)
	}
	return fmt.Sprintf("%.1f d", d)
}

// agentName is a browser and its system in two words, as far as it says.
func agentName(agent string) string {
	first := func(of string, names ...string) string {
		for _, n := range names {
			sign, name, _ := strings.Cut(n, "=")
			if strings.Contains(agent, sign) {
				return name
			}
		}
		return of
	}
	return first("a browser", "Firefox/=Firefox", "Edg=Edge", "OPR/=Opera", "Chrom=Chrome", "Safari/=Safari") +
		first("", "Android= on Android", "iPhone= on an iPhone", "iPad= on an iPad", "Windows= on Windows",
			"Mac OS= on a Mac", "Linux= on Linux")
}

// page is what every view gets.
type page struct {
	Title   string
	Station string // the id of the station that is lit
	Actor   kitchen.Actor
	Base    string // /k/<site>
	Path    string
	Now     time.Time
	Zone    *time.Location
	Profile safety.Profile
	Caution string
	InForm  bool // the page is a form: alarms fold into a sign in the strip
	Demo    bool
	Version string
	Theme   string
	Undo    *undoView     // the last act, while it may be undone; nil for none
	Strip   template.HTML // the rendered shift strip
	Alarms  template.HTML // the rendered bar of alarms, "" where none wants anybody
	Data    any
}

// Temp, Mass, Clock, Stamp and Local write values for the person.
func (p page) Temp(c float64) string    { return unit.FormatTemp(c, p.Actor.Temps()) }
func (p page) Mass(kg float64) string   { return unit.FormatMass(kg, p.Actor.Masses()) }
func (p page) Clock(t time.Time) string { return t.In(p.Zone).Format("15:04") }
func (p page) Stamp(t time.Time) string { return t.In(p.Zone).Format("Mon 2 Jan 15:04") }
func (p page) Local(t time.Time) string { return t.In(p.Zone).Format(form.LocalTime) }
func (p page) IsToday(t time.Time) bool { return sameDay(t.In(p.Zone), p.Now.In(p.Zone)) }
func (p page) TempUnit() string         { return "°" + string(p.Actor.Temps()) }
func (p page) MassUnit() string         { return string(p.Actor.Masses()) }

// TempP and StampP are Temp and Stamp of what may be missing; Value writes what
// a device sent, Kelvin a difference of temperatures.
func (p page) TempP(c *float64) string    { return p.Temp(*c) }
func (p page) StampP(t *time.Time) string { return p.Stamp(*t) }
func (p page) Value(kind string, v float64) string {
	if kind == kitchen.Scale {
		return p.Mass(v)
	}
	return p.Temp(v)
}
func (p page) Kelvin(k float64) string {
	if p.Actor.Temps() == unit.FahrenheitScale {
		k *= 1.8
	}
	if math.Abs(k) < 0.005 {
		return "0.00 " + p.TempUnit()
	}
	return unit.Signed(k, 2) + " " + p.TempUnit()
}

// Money writes hundredths in the kitchen's currency.
func (p page) Money(cents int64) string { return p.Actor.Site.Money(cents) }

// Cost is Money of an amount that was computed: without fractions of hundredths.
func (p page) Cost(cents float64) string { return p.Money(int64(math.Round(cents))) }

func (p page) NewID() string           { return kitchen.NewID().String() }
func (p page) Date(t time.Time) string { return t.In(p.Zone).Format("Mon 2 January 2006") }

// MassP is Mass of what may be missing, DayP and Day write a day.
func (p page) MassP(kg *float64) string  { return p.Mass(*kg) }
func (p page) Day(t time.Time) string    { return t.Format("2 Jan 2006") }
func (p page) DayP(t *time.Time) string  { return p.Day(t.In(p.Zone)) }
func (p page) WhenP(t *time.Time) string { return p.When(*t) }

// When is the clock for today, else with the day.
func (p page) When(t time.Time) string {
	if p.IsToday(t) {
		return p.Clock(t)
	}
	return t.In(p.Zone).Format("Mon 15:04")
}

// SpeciesOf is the catalogue's entry of a species.
func (p page) SpeciesOf(id string) species.Species {
	sp, _ := p.Actor.Site.Catalogue().Get(id)
	return sp
}

// SameMinute reports whether two times are the same to the minute.
func (p page) SameMinute(a, b time.Time) bool { return b.Sub(a).Abs() < time.Minute }

// TempField and MassField are Temp and Mass for a field that names its unit.
func (p page) TempPField(c *float64) string {
	if c == nil {
		return ""
	}
	return p.TempField(*c)
}
func (p page) TempField(c float64) string  { return strings.Fields(p.Temp(c))[0] }
func (p page) MassField(kg float64) string { return strings.Fields(p.Mass(kg))[0] }

// hourMark is an hour on the shift strip.
type hourMark struct {
	X     float64
	Label string
	Minor bool
}

// Hours are the marks of the shift strip.
func (page) Hours() []hourMark {
	var marks []hourMark
	for h := 2; h < 24; h += 2 {
		marks = append(marks, hourMark{float64(h) / 24 * 100, fmt.Sprintf("%02d", h), h%6 != 0})
	}
	return marks
}

func sameDay(a, b time.Time) bool { return a.Year() == b.Year() && a.YearDay() == b.YearDay() }

// page makes the page's common part.
func (s *Server) page(c *gin.Context, title, station string, data any) page {
	a := kitchen.ActorFrom(c.Request.Context())
	p := page{Title: title, Station: station, Actor: a, Path: c.Request.URL.Path, Now: s.kitchen.Now(), Zone: a.Zone(),
		Profile: a.Profile(), Caution: safety.Caution, Demo: s.opts.Demo, Version: s.version, Data: data}
	p.Base = s.base(c)
	if theme, err := c.Cookie("theme"); err == nil && theme == "dark" {
		p.Theme = "dark"
	}
	return p
}

// base is where the pages of the site begin, "" outside a site.
func (s *Server) base(c *gin.Context) string {
	if site := kitchen.ActorFrom(c.Request.Context()).Site; site.ID != 0 {
		return "/k/" + site.Slug
	}
	return ""
}

// show renders a whole page with its shift strip.
func (s *Server) show(c *gin.Context, status int, view string, p page) {
	if p.Base != "" {
		if p.Writes() {
			p.Undo = s.undoOf(c, p.Now)
		}
		var err error
		if p.Strip, err = s.strip(c, p); err != nil {
			s.fail(c, err)
			return
		}
		if p.Alarms, err = s.alarmBar(c, p); err != nil {
			s.fail(c, err)
			return
		}
	}
	s.render(c, status, view, "layout", p)
}

// render executes one template of a view. Nothing is sent unless all of it works.
func (s *Server) render(c *gin.Context, status int, view, name string, p page) {
	var out bytes.Buffer
	if err := s.views[view].ExecuteTemplate(&out, name, p); err != nil {
		s.log.Error("rendering", "view", view, "error", err)
		c.String(http.StatusInternalServerError, "This page could not be made. "+stored(c))
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(status, "text/html; charset=utf-8", out.Bytes())
}

// problem shows a page that says what is wrong.
func (s *Server) problem(c *gin.Context, status int, text string) {
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		httpx.WriteProblem(c, status, text, nil)
		return
	}
	if sentByScript(c) || isPart(c) { // which says it at the button
		c.Header("Cache-Control", "no-store")
		c.String(status, text)
		return
	}
	v := problemView{Text: text}
	if isPlainForm(c) && status >= http.StatusInternalServerError || status == http.StatusTooManyRequests { // to be sent again as it was
		v.Action, v.Carried = c.Request.URL.RequestURI(), carriedOf(c)
	}
	s.render(c, status, "problem", "layout", s.page(c, http.StatusText(status), "", v))
}

// problemView says what is wrong, and carries along a form that may be sent again.
type problemView struct {
	Text    string
	Action  string // "" for none
	Carried []carried
}

// fail turns an error that no form can show into a page.
func (s *Server) fail(c *gin.Context, err error) {
	var fields invalid.Errors
	var tooLarge *http.MaxBytesError
	switch {
	case s.askApproval(c, err):
	case errors.As(err, &tooLarge):
		s.problem(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("That is too large: at most %s are taken here.", bytesText(tooLarge.Limit)))
	case errors.Is(err, kitchen.ErrBusy), errors.Is(err, httpx.ErrBusy):
		c.Header("Retry-After", "2")
		s.problem(c, http.StatusServiceUnavailable, "Too much is asked just now. Nothing was stored: try again in a moment.")
	case errors.Is(err, httpx.ErrFiles):
		s.problem(c, http.StatusUnsupportedMediaType, "No files are taken here.")
	case errors.Is(err, kitchen.ErrNotFound):
		s.problem(c, http.StatusNotFound, "There is nothing here: it is gone, or the address is wrong.")
	case errors.Is(err, kitchen.ErrManager):
		s.problem(c, http.StatusForbidden, "Only a manager may do this.")
	case errors.Is(err, kitchen.ErrRight):
		s.problem(c, http.StatusForbidden, "This is not among what you may do here. Ask a manager.")
	case errors.Is(err, kitchen.ErrNoActor):
		s.problem(c, http.StatusForbidden, "Nobody is on shift. Choose who you are first.")
	case errors.As(err, &fields):
		s.problem(c, http.StatusUnprocessableEntity, fields.Error())
	case kitchen.IsUnstorable(err):
		s.problem(c, http.StatusUnprocessableEntity,
			"There is a character or a number in it that cannot be kept. Go back and type it anew.")
	case c.Request.Context().Err() != nil:
		c.Abort()
	case kitchen.IsAway(err):
		s.outage.Do(func() { s.log.Error("the database does not answer", "path", c.Request.URL.Path, "error", err) })
		c.Header("Retry-After", "5")
		if c.Request.Method == http.MethodGet {
			c.Header("Refresh", "5")
			s.problem(c, http.StatusServiceUnavailable, "The database does not answer. This page tries again by itself.")
			return
		}
		s.problem(c, http.StatusServiceUnavailable, "The database does not answer. "+stored(c))
	default:
		s.log.Error("request failed", "path", c.Request.URL.Path, "error", err)
		s.problem(c, http.StatusInternalServerError, "Something broke here. "+stored(c))
	}
}

// stored says what became of what was sent, as far as it is known.
func stored(c *gin.Context) string {
	switch {
	case c.Request.Method == http.MethodGet:
		return "Try again in a moment."
	case kitchen.NothingStored(c.Request.Context()):
		return "Nothing was stored: go back, and send it again in a moment."
	}
	return "Perhaps it was stored: go back and send it again, it counts once."
}

// bytesText is a size in words.
func bytesText(n int64) string {
	if n >= 1<<20 {
		return fmt.Sprintf("%d MB", n>>20)
	}
	return fmt.Sprintf("%d kB", n>>10)
}

// export sends a file that leaves the kitchen, and writes so into the audit.
func (s *Server) export(c *gin.Context, contentType, name string, data []byte) {
	s.recordAudit(c, kitchen.ActExported, name)
	where := "attachment"
	if contentType == "application/pdf" { // which browsers show
		where = "inline"
	}
	c.Header("Content-Disposition", where+"; filename="+strconv.Quote(name))
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, contentType, data)
}

// noRoute leads an old address on to its page, and answers 404 for any other.
func (s *Server) noRoute(c *gin.Context) {
	if to := movedTo(c.Request.URL); to != "" {
		status := http.StatusPermanentRedirect // the method and the body go along
		if c.Request.Method == http.MethodGet {
			status = http.StatusMovedPermanently
		}
		c.Redirect(status, to)
		return
	}
	s.problem(c, http.StatusNotFound, "There is no such page.")
}

// isPart reports whether htmx asks for a part of a page.
func isPart(c *gin.Context) bool { return c.GetHeader("HX-Request") == "true" }

// plural counts things in words.
func plural(n int, what string) string { return wording.Plural(n, what) }
