package web

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/api"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/httpx"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// placePageView is one place.
type placePageView struct {
	Page      kitchen.PlacePage
	Card      placeView
	Plan      template.HTML
	Trace     kitchen.PlaceTrace
	Draw      template.HTML // the trace, for where no script runs
	Past      []alarmView
	Hand      []kitchen.HandEntry // in the span
	SpanWrong string
	All       bool   // the readings of the span are all listed
	Span      string // the span in a word: day, week …; "" for another
	form.Back        // of its settings
}

// The spans that are one touch away.
var traceSpans = []struct {
	ID, Name string
	Back     time.Duration
}{{"hours", "6 hours", 6 * time.Hour}, {"day", "Day", 24 * time.Hour}, {"week", "Week", 7 * 24 * time.Hour},
	{"month", "Month", 30 * 24 * time.Hour}, {"year", "Year", 365 * 24 * time.Hour}}

// spanOf reads the span of an address: ?span=week, or ?from= and to=; the last
// day where it says nothing.
func spanOf(f *input, now time.Time) (coldchain.Span, string) {
	from, to := f.At("from"), f.At("to")
	if from != nil && to != nil {
		return coldchain.Span{From: *from, To: *to}, ""
	}
	for _, s := range traceSpans {
		if s.ID == f.Text("span") {
			return coldchain.Span{From: now.Add(-s.Back), To: now}, s.ID
		}
	}
	return coldchain.Span{From: now.Add(-24 * time.Hour), To: now}, "day"
}

// LastIce is when ice was seen around the fish last; zero for never.
func (v placePageView) LastIce() (last time.Time) {
	for _, x := range slices.Concat(v.Page.Ice.Sightings(), v.Page.Seen) {
		if x.Ice && x.At.After(last) {
			last = x.At
		}
	}
	return last
}

func (s *Server) place(c *gin.Context) { s.showPlace(c, placePageView{}) }

func (s *Server) showPlace(c *gin.Context, v placePageView) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	p := s.page(c, "", "cold", nil)
	var err error
	if v.Page, err = s.kitchen.Place(c.Request.Context(), id); err != nil {
		s.fail(c, err)
		return
	}
	p.Title = v.Page.Name
	v.Card = newPlaceView(p, v.Page.PlaceView)
	v.Plan = drawing.Plan{Cells: cells(p, v.Page.Places, id)}.Draw()
	for _, a := range v.Page.Past {
		v.Past = append(v.Past, alarmView{a, p})
	}
	f := asked(c)
	var span coldchain.Span
	span, v.Span = spanOf(f, p.Now)
	if v.Trace, err = s.kitchen.PlaceTrace(c.Request.Context(), id, span); err != nil {
		var bad invalid.Errors
		if !errors.As(err, &bad) {
			s.fail(c, err)
			return
		}
		v.SpanWrong = bad.Error()
	}
	if v.Hand, err = s.kitchen.HandEntries(c.Request.Context(), id, span); err != nil {
		s.fail(c, err)
		return
	}
	line := p.placeLine(v.Page.PlaceView, span)
	for _, l := range v.Trace.Lines {
		for i, t := range l.Points {
			if l.Hand {
				line.Spots = append(line.Spots, coldchain.Reading{At: t.At, Celsius: t.Mean})
				continue
			}
			t.Break = t.Break || i == 0
			line.Trace = append(line.Trace, drawing.TracePoint(t))
		}
	}
	v.Draw, v.All = line.Spark(), c.Query("rows") == "all"
	if !v.Sent {
		v.Values = v.settings(p)
	}
	p.Data = v
	s.show(c, v.Status(), "place", p)
}

// settings fills the form with what is so.
func (v placePageView) settings(p page) url.Values {
	pl := v.Card.Place
	values := url.Values{"name": {pl.Name}, "set": {p.TempField(pl.SetC)}, "holds": {string(pl.Holds)},
		"measures": {"air"}}
	if !pl.Air {
		values.Set("measures", "contact")
	}
	for field, c := range map[string]*float64{"warm": pl.WarmC, "cold": pl.ColdC} {
		if c != nil {
			values.Set(field, p.TempField(*c))
		}
	}
	if pl.CapacityKg != nil {
		values.Set("capacity", p.MassField(*pl.CapacityKg))
	}
	if pl.Delay != nil {
		values.Set("delay", strconv.Itoa(int(pl.Delay.Minutes())))
	}
	return values
}

// Measures are what its probes may measure.
func (placePageView) Measures() []form.Option {
	return []form.Option{{ID: "air", Name: "the air"}, {ID: "contact", Name: "what the fish touches"}}
}

// Usual is the delay of its alarms, minutes.
func (v placePageView) Usual() float64 { return v.Card.Rules.Delay.Minutes() }

// mostRows bounds the table of readings until all of it is asked for.
const mostRows = 60

// Table are the points of the trace as a table, the newest first: some of them, or all.
func (v placePageView) Table() []tableRow {
	var rows []tableRow
	for _, l := range v.Trace.Lines {
		for i := len(l.Points) - 1; i >= 0; i-- {
			rows = append(rows, tableRow{l.Probe.Name, l.Points[i]})
		}
	}
	slices.SortStableFunc(rows, func(a, b tableRow) int { return b.At.Compare(a.At) })
	if !v.All && len(rows) > mostRows {
		rows = rows[:mostRows]
	}
	return rows
}

// Readings is how many there are in the span.
func (v placePageView) Readings() (n int) {
	for _, l := range v.Trace.Lines {
		n += len(l.Points)
	}
	return n
}

// AllOf is the address of the same span with all its readings.
func (v placePageView) AllOf(p page) string {
	return "?" + url.Values{"from": {p.Local(v.Trace.Span.From)}, "to": {p.Local(v.Trace.Span.To)}, "rows": {"all"}}.Encode() + "#table"
}

type tableRow struct {
	Probe string
	kitchen.TracePoint
}

// HandForm names the form that corrects a reading by hand.
func (placePageView) HandForm(e kitchen.HandEntry) string { return handForm(e.ProbeID, e.At) }

// Spans are the spans that are one touch away.
func (placePageView) Spans() any { return traceSpans }

// Sums are what the span did, in words and numbers.
func (v placePageView) Sums(p page) []sumRow {
	return traceSums(p, v.Trace, v.Card.Rules.WarmC)
}

// traceSums writes out what was measured in a place, and what people read there.
func traceSums(p page, t kitchen.PlaceTrace, limit float64) []sumRow {
	rows := sums(p, t.Exposure, coldchain.Total(t.Gaps), limit)
	n, lo, hi := 0, math.Inf(1), math.Inf(-1)
	for _, l := range t.Lines {
		for _, x := range l.Points {
			if l.Hand {
				n, lo, hi = n+1, math.Min(lo, x.Mean), math.Max(hi, x.Mean)
			}
		}
	}
	if n > 0 {
		rows = append(rows, sumRow{"By hand", fmt.Sprintf("%d × %s to %s", n, unit.FormatTemp(lo, p.Actor.Temps()), p.Temp(hi))})
	}
	return rows
}

// sumRow is one figure of a span.
type sumRow struct{ Name, Value string }

// sums writes an exposure of a place out. The limit may be NaN.
func sums(p page, e coldchain.Exposure, unknown time.Duration, limit float64) []sumRow {
	rows := []sumRow{{"Measured", hoursText(e.Covered.Hours())}, {"Not measured", hoursText(unknown.Hours())}}
	return append(rows, did(p, e, limit)...)
}

// did writes out what an exposure did.
func did(p page, e coldchain.Exposure, limit float64) []sumRow {
	var rows []sumRow
	if e.Covered == 0 {
		return rows
	}
	rows = append(rows, sumRow{"Mean", p.Temp(e.Mean())}, sumRow{"Coldest", p.Temp(e.Min)},
		sumRow{"Warmest", p.Temp(e.Max)})
	if !math.IsNaN(limit) {
		for _, counted := range coldchain.Limits {
			if counted == limit {
				rows = append(rows, sumRow{"Above " + p.Temp(limit), hoursText(e.HoursAbove(limit))})
			}
		}
	}
	if e.Max > coldchain.LowestRated {
		rows = append(rows, sumRow{"Above " + p.Temp(4.4), hoursText(e.HoursAbove(4.4))},
			sumRow{"Fresh days", fmt.Sprintf("%.2f", e.IceDays(coldchain.Temperate))},
			sumRow{"of warm-water fish", fmt.Sprintf("%.2f", e.IceDays(coldchain.Warm))})
	}
	return rows
}

func hoursText(h float64) string {
	switch {
	case h >= 72:
		return fmt.Sprintf("%.1f d", h/24)
	case h >= 0.95 || h == 0:
		return fmt.Sprintf("%.1f h", h)
	}
	return fmt.Sprintf("%.0f min", h*60)
}

// traceJSON is the trace as the chart takes it, in the person's scale.
type traceJSON struct {
	Unit   string      `json:"unit"`
	From   int64       `json:"from"` // seconds since 1970
	To     int64       `json:"to"`
	Hourly bool        `json:"hourly"`
	Warm   *float64    `json:"warm"` // limits; null for none
	Cold   *float64    `json:"cold"`
	Lines  []traceLine `json:"lines"`
	Alarms [][2]int64  `json:"alarms"`
	Sums   []sumRow    `json:"sums"`
}

type traceLine struct {
	Name string     `json:"name"`
	Hand bool       `json:"hand"` // read by people, reading by reading
	T    []int64    `json:"t"`
	Mean []*float64 `json:"mean"` // null breaks the line
	Min  []*float64 `json:"min"`
	Max  []*float64 `json:"max"`
}

// trace sends what the chart draws.
func (s *Server) trace(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	p := s.page(c, "", "cold", nil)
	var span coldchain.Span
	from, err1 := strconv.ParseInt(c.Query("from"), 10, 64)
	to, err2 := strconv.ParseInt(c.Query("to"), 10, 64)
	if last, err := strconv.ParseInt(c.Query("last"), 10, 64); err == nil && last > 0 {
		to, err1, err2 = p.Now.Unix()+1, nil, nil // the second that runs too
		from = to - last
	}
	if span = (coldchain.Span{From: time.Unix(from, 0), To: time.Unix(to, 0)}); err1 != nil || err2 != nil {
		httpx.WriteProblem(c, http.StatusBadRequest, "give from and to in seconds since 1970, or last in seconds", nil)
		return
	}
	t, err := s.kitchen.PlaceTrace(c.Request.Context(), id, span)
	if err != nil {
		api.Fail(c, s.log, err)
		return
	}
	scaled := func(celsius float64) *float64 {
		if math.IsNaN(celsius) {
			return nil
		}
		if p.Actor.Temps() == unit.FahrenheitScale {
			celsius = unit.CelsiusToFahrenheit(celsius)
		}
		celsius = math.Round(100*celsius) / 100
		return &celsius
	}
	out := traceJSON{Unit: p.TempUnit(), From: from, To: to, Hourly: t.Hourly, Warm: scaled(t.Rules.WarmC),
		Cold: scaled(t.Rules.FreezingC),
		Sums: traceSums(p, t, t.Rules.WarmC), Lines: []traceLine{}, Alarms: [][2]int64{}}
	for _, l := range t.Lines {
		line := traceLine{Name: l.Probe.Name, Hand: l.Hand, T: []int64{}, Mean: []*float64{}, Min: []*float64{}, Max: []*float64{}}
		add := func(at int64, mean, min, max *float64) {
			line.T, line.Mean, line.Min, line.Max = append(line.T, at), append(line.Mean, mean),
				append(line.Min, min), append(line.Max, max)
		}
		for i, x := range l.Points {
			if x.Break && i > 0 && !l.Hand {
				add(l.Points[i-1].At.Unix()+1, nil, nil, nil)
			}
			add(x.At.Unix(), scaled(x.Mean), scaled(x.Min), scaled(x.Max))
		}
		out.Lines = append(out.Lines, line)
	}
	for _, a := range t.Alarms {
		out.Alarms = append(out.Alarms, [2]int64{a.Since.Unix(), a.Until(p.Now).Unix()})
	}
	c.Header("Cache-Control", "no-store")
	httpx.WriteJSON(c, http.StatusOK, out)
}

// setPlace changes a place.
func (s *Server) setPlace(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	change := kitchen.PlaceChange{NewPlace: kitchen.NewPlace{Name: f.Text("name"), SetC: f.MustCelsius("set"),
		Contact: f.Text("measures") == "contact", CapacityKg: f.Mass("capacity"), Holds: lot.Holds(f.Text("holds"))},
		WarmC: f.Celsius("warm"), ColdC: f.Celsius("cold")}
	if n := f.Whole("delay", "min"); n != nil {
		minutes := int64(*n)
		change.DelayMinutes = &minutes
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return fmt.Sprintf("/cold/places/%d", id), s.kitchen.SetPlace(ctx, id, change)
	}, func(back form.Back) { s.showPlace(c, placePageView{Back: back}) })
}
