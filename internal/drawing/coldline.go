package drawing

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/unit"
)

// ColdLine is what a cold line shows, from From to To.
type ColdLine struct {
	From, To time.Time
	Zone     *time.Location
	Scale    unit.TempScale
	Stages   []Stage
	Marks    []Mark
	Trace    []TracePoint
	Spots    []coldchain.Reading
	Fish     [][]coldchain.Reading // the fish's own temperature, a line each
	LimitC   float64               // the chilled limit of the profile
	Limit    string                // its name
	Grades   []GradeSpan           // how well it is known, in order
	Clocks   []ClockRow            // that run along it
}

// GradeSpan is a stretch of the line that is known alike.
type GradeSpan struct {
	coldchain.Span
	Grade  string
	Source string
}

// ClockRow is a clock on the axis of the line: when it runs, the stretches that counted or are not
// known, and its share now.
type ClockRow struct {
	Name    string
	From    time.Time
	Counted []coldchain.Span
	Unknown []coldchain.Span
	Share   float64
	State   string // ok, warn, unknown or stop
}

// Stage is a band of the line: the way, or a stay.
type Stage struct {
	coldchain.Span
	Name    string
	Assumed []coldchain.Span // where nothing was measured
	AssumeC float64          // what was assumed there
	Iced    []coldchain.Span // where it lay in ice: 0 °C
}

// Mark is an event on the line.
type Mark struct {
	At    time.Time
	Label string
	Void  bool
}

// TracePoint is a point of the measured temperature; Break begins a new line.
type TracePoint struct {
	At             time.Time
	Mean, Min, Max float64
	Break          bool
}

// Geometry of the cold line.
const (
	lineW, lineH         = 1200.0, 330.0
	lineLeft, lineRight  = 52.0, 1186.0
	stageTop, stageBase  = 64.0, 96.0
	plotTop, plotBottom  = 116.0, 296.0
	stageTextPerRune     = 8.2
	dayTicks, otherTicks = 12, 14
	gradeTop, gradeH     = 332.0, 14.0 // the strip of the grades
	clockTop, clockH     = 366.0, 34.0 // the rows of the clocks
)

// Draw makes the drawing: events above, stages as bands, the temperature below
// with the limit as a line and assumed stretches dashed.
func (l ColdLine) Draw() template.HTML {
	var c canvas
	height := lineH
	if len(l.Grades) > 0 {
		height = clockTop + clockH*float64(len(l.Clocks)) - 6
	}
	c.add(`<svg class="coldline" viewBox="0 0 1200 %v" role="img" aria-label="%v">`, height,
		fmt.Sprintf("Cold line from %s to %s", l.From.In(l.Zone).Format("2 Jan 15:04"),
			l.To.In(l.Zone).Format("2 Jan 15:04")))
	lo, hi := l.bounds()
	y := func(t float64) float64 { return plotBottom - (plotBottom-plotTop)*(t-lo)/(hi-lo) }
	l.axes(&c, lo, hi, y)
	l.stages(&c, y)
	l.trace(&c, y)
	l.marks(&c)
	l.grades(&c)
	l.clocks(&c)
	c.add(`</svg>`)
	return c.html()
}

// grades draws the strip that says how well each stretch is known, with the word where it fits.
func (l ColdLine) grades(c *canvas) {
	for _, g := range l.Grades {
		x0, x1 := l.x(g.From), l.x(g.To)
		c.add(`<rect class="grade grade-%v" x="%v" y="%v" width="%v" height="%v"><title>%v</title></rect>`, g.Grade, x0, gradeTop,
			math.Max(1, x1-x0), gradeH, fmt.Sprintf("%s: %s, %s to %s", g.Grade, g.Source, g.From.In(l.Zone).Format("2 Jan 15:04"),
				g.To.In(l.Zone).Format("2 Jan 15:04")))
		if name := fit(g.Grade, x1-x0-8); name != "" {
			c.add(`<text class="grade-text" x="%v" y="%v">%v</text>`, x0+5, gradeTop+gradeH-3, name)
		}
	}
}

// clocks draws a row for each clock: its name and share, the time it ran, and what of that counted.
func (l ColdLine) clocks(c *canvas) {
	for i, row := range l.Clocks {
		top := clockTop + clockH*float64(i)
		text := fmt.Sprintf("%s · %.0f %%", row.Name, 100*row.Share)
		if row.State == "unknown" {
			text += " · record missing"
		}
		c.add(`<text class="clock-row-text clock-row-%v" x="%v" y="%v">%v</text>`, row.State, lineLeft, top+13, text)
		bar := func(class string, from, to time.Time) {
			x0, x1 := l.x(from), l.x(to)
			c.add(`<rect class="%v" x="%v" y="%v" width="%v" height="8"/>`, class, x0, top+17, math.Max(1.5, x1-x0))
		}
		bar("clock-runs", row.From, l.To)
		for _, s := range row.Unknown {
			bar("clock-unknown", s.From, s.To)
		}
		for _, s := range row.Counted {
			bar("clock-counts clock-counts-"+row.State, s.From, s.To)
		}
	}
}

func (l ColdLine) x(t time.Time) float64 {
	whole := l.To.Sub(l.From).Seconds()
	if whole <= 0 {
		return lineLeft
	}
	return lineLeft + (lineRight-lineLeft)*math.Min(math.Max(t.Sub(l.From).Seconds()/whole, 0), 1)
}

// bounds is the range of temperatures shown, in whole degrees.
func (l ColdLine) bounds() (lo, hi float64) {
	lo, hi = -1, math.Max(6, l.LimitC+2)
	widen := func(t float64) { lo, hi = math.Min(lo, t-1), math.Max(hi, t+1) }
	for _, p := range l.Trace {
		widen(p.Min)
		widen(p.Max)
	}
	for _, line := range append(slices.Clone(l.Fish), l.Spots) {
		for _, r := range line {
			if !r.At.Before(l.From) && !r.At.After(l.To) {
				widen(r.Celsius)
			}
		}
	}
	for _, s := range l.Stages {
		if len(s.Assumed) > 0 {
			widen(s.AssumeC)
		}
	}
	return math.Floor(lo), math.Ceil(hi)
}

func (l ColdLine) axes(c *canvas, lo, hi float64, y func(float64) float64) {
	c.degrees(lo, hi, 7, l.Scale, lineLeft-8, lineLeft, lineRight, y)
	c.add(`<path class="limit" d="M%v %vH%v"/><text class="limit-text" x="%v" y="%v" text-anchor="end">%v</text>`,
		lineLeft, y(l.LimitC), lineRight, lineRight, y(l.LimitC)-6, l.Limit)
	for _, t := range l.ticks() {
		c.add(`<path class="grid" d="M%v %vV%v"/><text class="axis" x="%v" y="%v" text-anchor="middle">%v</text>`,
			l.x(t), plotTop, plotBottom, l.x(t), plotBottom+20, clockText(t))
	}
}

// clockTimes are the times from one to another at each so many hours of a clock
// on the wall, which shows midnight on both sides of a change to summer time.
func clockTimes(from, to time.Time, hours int, zone *time.Location) []time.Time {
	var times []time.Time
	local := from.In(zone)
	for n := 0; ; n += hours {
		t := time.Date(local.Year(), local.Month(), local.Day(), n, 0, 0, 0, zone)
		switch {
		case t.After(to):
			return times
		case !t.Before(from):
			times = append(times, t)
		}
	}
}

// clockText writes such a time: the day at midnight, else the hour.
func clockText(t time.Time) string {
	if t.Hour() == 0 && t.Minute() == 0 {
		return t.Format("Mon 2 Jan")
	}
	return t.Format("15:04")
}

// ticks are round times of the site's clock, at most otherTicks of them.
func (l ColdLine) ticks() []time.Time {
	whole := l.To.Sub(l.From)
	for _, hours := range []int{1, 2, 3, 6, 12, 24, 48, 96, 168, 336, 720} {
		if whole.Hours()/float64(hours) > dayTicks {
			continue
		}
		var ticks []time.Time
		for _, t := range clockTimes(l.From, l.To, hours, l.Zone) {
			if len(ticks) < otherTicks && l.x(t) > lineLeft+30 && l.x(t) < lineRight-30 {
				ticks = append(ticks, t)
			}
		}
		return ticks
	}
	return nil
}

func (l ColdLine) stages(c *canvas, y func(float64) float64) {
	for i, s := range l.Stages {
		x0, x1 := l.x(s.From), l.x(s.To)
		c.add(`<rect class="stage stage-%v" x="%v" y="%v" width="%v" height="%v"/>`, i%2, x0, stageTop,
			math.Max(1, x1-x0), stageBase-stageTop)
		if name := fit(s.Name, x1-x0-12); name != "" {
			c.add(`<text class="stage-text" x="%v" y="%v">%v</text>`, x0+8, (stageTop+stageBase)/2+6, name)
		}
		for _, a := range s.Assumed {
			c.add(`<path class="assumed" d="M%v %vH%v"/>`, l.x(a.From), y(s.AssumeC), l.x(a.To))
		}
		for _, a := range s.Iced {
			c.add(`<path class="in-ice" d="M%v %vH%v"/>`, l.x(a.From), y(0), l.x(a.To))
			if name := fit("in ice", l.x(a.To)-l.x(a.From)-12); name != "" {
				c.add(`<text class="in-ice-text" x="%v" y="%v">%v</text>`, l.x(a.From)+8, y(0)-8, name)
			}
		}
	}
}

// fit shortens a text to a width; "" where not even three letters fit.
func fit(text string, width float64) string {
	runes := []rune(text)
	n := int(width / stageTextPerRune)
	switch {
	case n >= len(runes):
		return text
	case n < 4:
		return ""
	}
	return string(runes[:n-1]) + "…"
}

func (l ColdLine) trace(c *canvas, y func(float64) float64) {
	var path, area strings.Builder
	to := func(b *strings.Builder, first bool, x, y float64) {
		b.WriteString(pick(first, "M", "L") + num(x) + " " + num(y))
	}
	for begin := 0; begin < len(l.Trace); { // each run without a break is a line with its spread
		end := begin + 1
		for end < len(l.Trace) && !l.Trace[end].Break {
			end++
		}
		run := l.Trace[begin:end]
		for i, p := range run {
			to(&path, i == 0, l.x(p.At), y(p.Mean))
			to(&area, i == 0, l.x(p.At), y(p.Max))
		}
		for _, p := range slices.Backward(run) {
			to(&area, false, l.x(p.At), y(p.Min))
		}
		area.WriteByte('Z')
		begin = end
	}
	if len(l.Trace) > 0 {
		c.add(`<path class="spread" d="%v"/><path class="trace" d="%v"/>`, raw(area.String()), raw(path.String()))
	}
	for _, line := range l.Fish {
		var own strings.Builder
		last := math.Inf(-1)
		for i, p := range line { // no closer than can be seen
			if x := l.x(p.At); x-last >= 1.5 || i == len(line)-1 {
				to(&own, i == 0, x, y(p.Celsius))
				last = x
			}
		}
		c.add(`<path class="fish-line" d="%v"/>`, raw(own.String()))
	}
	for _, r := range l.Spots {
		c.add(`<circle class="spot" cx="%v" cy="%v" r="6"><title>%v</title></circle>`, l.x(r.At), y(r.Celsius),
			unit.FormatTemp(r.Celsius, l.Scale)+" core temperature, "+r.At.In(l.Zone).Format("15:04"))
	}
}

func pick[T any](first bool, a, b T) T {
	if first {
		return a
	}
	return b
}

// marks draws the events; those close together take turns in two rows, and
// what still would overlap keeps its flag without a label.
func (l ColdLine) marks(c *canvas) {
	lastEnd := [2]float64{-100, -100}
	for i, m := range l.Marks {
		x := l.x(m.At)
		class := "mark"
		if m.Void {
			class += " mark-void"
		}
		width := float64(len([]rune(m.Label)))*7.4 + 10
		textX, anchor := x, "start"
		if x+width > lineRight {
			textX, anchor = x, "end"
		}
		row := -1
		for r := range lastEnd {
			begin := textX
			if anchor == "end" {
				begin = textX - width
			}
			if begin > lastEnd[r] {
				row = r
				lastEnd[r] = begin + width
				break
			}
		}
		top := 52.0
		if row >= 0 {
			top = 16 + 22*float64(row)
			c.add(`<text class="%v" x="%v" y="%v" text-anchor="%v">%v</text>`, class, textX, top+2, anchor, m.Label)
		}
		c.add(`<path class="%v" d="M%v %vV%v"><title>%v</title></path><circle class="%v" cx="%v" cy="%v" r="4"/>`,
			class, x, math.Min(top+6, 58), stageTop,
			fmt.Sprintf("%d. %s, %s", i+1, m.Label, m.At.In(l.Zone).Format("2 Jan 15:04")), class, x, stageTop)
	}
}

// Spark draws the trace alone, small: for a list of places.
func (l ColdLine) Spark() template.HTML {
	const w, h = 400.0, 84.0
	lo, hi := l.bounds()
	y := func(t float64) float64 { return h - 4 - (h-8)*(t-lo)/(hi-lo) }
	x := func(t time.Time) float64 { return (l.x(t) - lineLeft) / (lineRight - lineLeft) * w }
	var c canvas
	c.add(`<svg class="spark" viewBox="0 0 %v %v" preserveAspectRatio="none" aria-hidden="true"><path class="limit" `+
		`d="M0 %vH%v"/>`, w, h, y(l.LimitC), w)
	var path, area strings.Builder
	for i, p := range l.Trace {
		path.WriteString(pick(p.Break || i == 0, "M", "L") + num(x(p.At)) + " " + num(y(p.Mean)))
		area.WriteString("M" + num(x(p.At)) + " " + num(y(p.Min)) + "V" + num(y(p.Max)))
	}
	c.add(`<path class="spark-spread" d="%v"/><path class="trace" d="%v"/>`, raw(area.String()), raw(path.String()))
	for _, r := range l.Spots { // read by people: what was between them nobody knows
		c.add(`<path class="spark-spot" d="M%v %vv12"/>`, x(r.At), y(r.Celsius)-6)
	}
	c.add(`</svg>`)
	return c.html()
}
