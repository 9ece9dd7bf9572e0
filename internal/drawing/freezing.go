package drawing

import (
	"html/template"
	"math"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/unit"
)

// Freezing is how a core freezes: as it was forecast, as it goes by what was
// measured, and what was measured.
type Freezing struct {
	Begun     time.Time
	Now       time.Time
	Hours     float64 // shown
	Zone      *time.Location
	Scale     unit.TempScale
	Predicted []heat.Moment
	Going     []heat.Moment // nil where nothing was measured
	Air       []TracePoint
	Core      []coldchain.Reading
}

// Geometry of the chart.
const (
	frostW, frostH            = 1000.0, 380.0
	frostLeft, frostRight     = 52.0, 900.0
	frostTop, frostBottom     = 16.0, 338.0
	frostLimitC, frostTargetC = -18.0, -20.0
)

// Draw makes the chart: the zone in which most water freezes as a band, −18 and
// −20 °C as lines.
func (f Freezing) Draw() template.HTML {
	lo, hi := -24.0, 4.0
	for _, line := range [][]heat.Moment{f.Predicted, f.Going} {
		for _, m := range line {
			hi = math.Max(hi, m.Core+1)
		}
	}
	for _, p := range f.Air {
		lo, hi = math.Min(lo, p.Min-1), math.Max(hi, math.Min(p.Max+1, 12))
	}
	for _, r := range f.Core {
		hi = math.Max(hi, r.Celsius+1)
	}
	lo, hi = math.Floor(lo), math.Ceil(hi)
	x := func(hours float64) float64 {
		return frostLeft + (frostRight-frostLeft)*math.Min(math.Max(hours/f.Hours, 0), 1)
	}
	y := func(c float64) float64 {
		return frostBottom - (frostBottom-frostTop)*(math.Max(math.Min(c, hi), lo)-lo)/(hi-lo)
	}
	var c canvas
	c.add(`<svg class="frost" viewBox="0 0 %v %v" role="img" aria-label="Core temperature while it freezes">`, frostW,
		frostH)
	c.add(`<rect class="frost-zone" x="%v" y="%v" width="%v" height="%v"/><text class="frost-zone-text" x="%v" `+
		`y="%v">most water</text><text class="frost-zone-text" x="%v" y="%v">freezes</text>`, frostLeft, y(0),
		frostRight-frostLeft, y(-5)-y(0), frostRight+8, y(-2.5)-3, frostRight+8, y(-2.5)+15)
	c.degrees(lo, hi, 8, f.Scale, frostLeft-8, frostLeft, frostRight, y)
	c.add(`<path class="limit" d="M%v %vH%v"/><path class="limit" d="M%v %vH%v"/>`, frostLeft, y(frostLimitC),
		frostRight, frostLeft, y(frostTargetC), frostRight)
	c.add(`<text class="limit-text" x="%v" y="%v">%v</text><text class="limit-text" x="%v" y="%v">%v</text>`,
		frostRight+8, y(frostLimitC)-2, unit.FormatTemp(frostLimitC, f.Scale), frostRight+8, y(frostTargetC)+13,
		unit.FormatTemp(frostTargetC, f.Scale))
	hourAxis(&c, f.Begun, f.Hours, f.Zone, x, frostTop, frostBottom)
	var air strings.Builder
	for i, p := range f.Air {
		air.WriteString(pick(p.Break || i == 0, "M", "L") + num(x(p.At.Sub(f.Begun).Hours())) + " " + num(y(p.Mean)))
	}
	if air.Len() > 0 {
		c.add(`<path class="frost-air" d="%v"/>`, raw(air.String()))
	}
	c.add(`<path class="frost-foretold" d="%v"/>`, raw(coreLine(f.Predicted, f.Hours, x, y)))
	if f.Going != nil {
		c.add(`<path class="frost-going" d="%v"/>`, raw(coreLine(f.Going, f.Hours, x, y)))
	}
	if now := f.Now.Sub(f.Begun).Hours(); now < f.Hours {
		c.add(`<path class="needle-line" d="M%v %vV%v"/><text class="needle-text" x="%v" y="%v">now</text>`, x(now),
			frostTop, frostBottom, x(now)+6, frostTop+14)
	}
	for _, r := range f.Core {
		since := r.At.Sub(f.Begun).Hours()
		if since >= 0 && since <= f.Hours {
			c.add(`<circle class="spot" cx="%v" cy="%v" r="7"><title>%v</title></circle>`, x(since), y(r.Celsius),
				unit.FormatTemp(r.Celsius, f.Scale)+" core temperature, "+r.At.In(f.Zone).Format("15:04"))
		}
	}
	c.add(`</svg>`)
	return c.html()
}

// coreLine is the path of a core's temperature.
func coreLine(curve []heat.Moment, hours float64, x, y func(float64) float64) string {
	var path strings.Builder
	for _, m := range curve {
		if m.Since.Hours() > hours {
			break
		}
		path.WriteString(pick(path.Len() == 0, "M", "L") + num(x(m.Since.Hours())) + " " + num(y(m.Core)))
	}
	return path.String()
}

// hourAxis draws round hours of the clock from a time on.
func hourAxis(c *canvas, from time.Time, hours float64, zone *time.Location, x func(float64) float64, top,
	bottom float64) {
	step := 1
	for _, s := range []int{2, 3, 6, 12, 24, 48} {
		if hours/float64(step) > 9 {
			step = s
		}
	}
	for _, t := range clockTimes(from, from.Add(time.Duration(hours*float64(time.Hour))), step, zone) {
		at := x(t.Sub(from).Hours())
		c.add(`<path class="grid" d="M%v %vV%v"/><text class="axis" x="%v" y="%v" text-anchor="middle">%v</text>`, at,
			top, bottom, at, bottom+22, clockText(t))
	}
}

// Thaws are thaws drawn back from an hour of service, a bar for each lot.
type Thaws struct {
	From, To time.Time
	Now      time.Time
	Serve    time.Time
	Zone     *time.Location
	Scale    unit.TempScale
	Bars     []ThawBar
}

// ThawBar is one of them.
type ThawBar struct {
	Name, Method    string
	Start           time.Time
	Workable, Ready time.Time
	KeepTo          time.Time
	Ticks           []ThawTick
	Curve           []heat.Moment // from Start
	Late, Done      bool
}

// ThawStepDone is a step on the bar.
type ThawTick struct {
	At    time.Time
	Label string
	Done  bool
	Small bool // a change of water
}

// Geometry of the bars.
const (
	thawW              = 1200.0
	thawLeft, thawRest = 12.0, 1188.0
	thawRow, thawTop   = 148.0, 34.0
)

// Draw makes the drawing: from the pull to where it can be cut, to where it is
// free of ice, and how long it keeps; the core's curve below, the hour of
// service as a line through all.
func (t Thaws) Draw() template.HTML {
	height := thawTop + thawRow*float64(len(t.Bars)) + 30
	hours := t.To.Sub(t.From).Hours()
	x := func(h float64) float64 { return thawLeft + (thawRest-thawLeft)*math.Min(math.Max(h/hours, 0), 1) }
	at := func(m time.Time) float64 { return x(m.Sub(t.From).Hours()) }
	var c canvas
	c.add(`<svg class="thaws" viewBox="0 0 %v %v" role="img" aria-label="Thaws, back from service at %v">`, thawW,
		height, t.Serve.In(t.Zone).Format("Mon 15:04"))
	hourAxis(&c, t.From, hours, t.Zone, x, thawTop-6, height-28)
	for i, b := range t.Bars {
		t.bar(&c, b, thawTop+thawRow*float64(i), at)
	}
	if t.Now.After(t.From) && t.Now.Before(t.To) {
		c.add(`<path class="needle-line" d="M%v %vV%v"/><text class="needle-text" x="%v" y="14" `+
			`text-anchor="middle">now</text>`, at(t.Now), 18.0, height-28, at(t.Now))
	}
	c.add(`<path class="serve-line" d="M%v 22V%v"/><text class="serve-text" x="%v" y="16" text-anchor="%v">serve `+
		`%v</text>`, at(t.Serve), height-28, at(t.Serve), pick(at(t.Serve) > thawRest-120, "end", "middle"),
		t.Serve.In(t.Zone).Format("15:04"))
	c.add(`</svg>`)
	return c.html()
}

func (t Thaws) bar(c *canvas, b ThawBar, top float64, at func(time.Time) float64) {
	const barTop, barH = 28.0, 30.0
	y0 := top + barTop
	class := "thaw-bar" + pick(b.Late, " thaw-late", "") + pick(b.Done, " thaw-done", "")
	begin := at(b.Start)
	name, anchor, nameX := b.Name+" · "+b.Method, "start", begin
	if begin > 760 {
		anchor, nameX = "end", math.Min(at(b.KeepTo), thawRest)
	}
	c.add(`<text class="thaw-name" x="%v" y="%v" text-anchor="%v">%v</text>`, nameX, top+20, anchor, name)
	serve := at(t.Serve)
	segment := func(class string, from, to time.Time, label string) {
		x0, x1 := at(from), at(to)
		if x1-x0 < 1 {
			return
		}
		c.add(`<rect class="%v" x="%v" y="%v" width="%v" height="%v"/>`, class, x0, y0, x1-x0, barH)
		if x0 < serve && serve < x1 { // its words stand on the wider side of the line
			if serve-x0 > x1-serve {
				x1 = serve
			} else {
				x0 = serve
			}
		}
		if text := fit(label, x1-x0-10); text == label {
			c.add(`<text class="thaw-text" x="%v" y="%v">%v</text>`, x0+6, y0+21, text)
		}
	}
	segment(class+" thaw-ice", b.Start, b.Workable, "ice inside")
	segment(class+" thaw-workable", b.Workable, b.Ready, "workable")
	segment(class+" thaw-ready", b.Ready, b.KeepTo, "keeps")
	for _, tick := range b.Ticks {
		if tick.At.After(t.To) {
			continue
		}
		if tick.Small {
			c.add(`<path class="thaw-tick%v" d="M%v %vv%v"><title>%v</title></path>`,
				pick(tick.Done, " thaw-tick-done", ""), at(tick.At), y0-7, barH+14, tick.Label)
			continue
		}
		c.add(`<circle class="thaw-dot%v" cx="%v" cy="%v" r="7"><title>%v</title></circle>`,
			pick(tick.Done, " thaw-dot-done", ""), at(tick.At), y0+barH, tick.Label)
	}
	t.curve(c, b, y0+barH+8, at)
}

// curve draws the core under its bar, between its start and 5 °C.
func (t Thaws) curve(c *canvas, b ThawBar, top float64, at func(time.Time) float64) {
	const h = 58.0
	if len(b.Curve) < 2 {
		return
	}
	lo, hi := math.Min(b.Curve[0].Core, -5), 5.0
	y := func(celsius float64) float64 { return top + h*(hi-math.Min(celsius, hi))/(hi-lo) }
	end := b.Curve[len(b.Curve)-1]
	var path strings.Builder
	for i, m := range b.Curve {
		path.WriteString(pick(i == 0, "M", "L") + num(at(b.Start.Add(m.Since))) + " " + num(y(m.Core)))
	}
	x0, x1 := at(b.Start), at(b.Start.Add(end.Since))
	c.add(`<path class="thaw-zero" d="M%v %vH%v"/><path class="thaw-curve" d="%v"/>`, x0, y(0), x1, raw(path.String()))
	if x1-x0 > 120 {
		c.add(`<text class="thaw-axis" x="%v" y="%v">%v</text><text class="thaw-axis" x="%v" y="%v" `+
			`text-anchor="end">%v</text>`, x0+20, y(b.Curve[0].Core)+4, unit.FormatTemp(b.Curve[0].Core, t.Scale),
			x1-6, y(end.Core)+20, unit.FormatTemp(end.Core, t.Scale))
	}
}
