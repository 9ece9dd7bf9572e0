package drawing

import (
	"html/template"
	"math"
	"time"
)

// Harvest is the way from death to dock, on one line whose time is stretched
// towards the death, where minutes count.
type Harvest struct {
	Death    time.Time
	Now      time.Time
	Zone     *time.Location
	Steps    []HarvestStep
	Onset    [2]time.Time // of rigor, from when to when it may begin; zero where unknown
	End      [2]time.Time // and end
	Chill    time.Time    // by when a histamine former must be chilled; zero for others
	ChillFor string       // what that limit is called
}

// HarvestStep is a step on it.
type HarvestStep struct {
	Name    string
	At      time.Time
	Until   time.Time // zero for a step of no length
	Assumed bool      // by a rule: drawn dashed
}

// Geometry of the line.
const (
	harvestW, harvestLeft, harvestRight = 1200.0, 20.0, 1180.0
	harvestLine, harvestBase            = 92.0, 196.0
	harvestStretch                      = 12 * time.Minute // time nearer than this runs about evenly
)

// Draw makes the drawing.
func (h Harvest) Draw() template.HTML {
	last := h.Now.Sub(h.Death)
	for _, t := range []time.Time{h.End[1], h.Chill} {
		if !t.IsZero() {
			last = max(last, t.Sub(h.Death))
		}
	}
	last = max(last*11/10, 2*time.Hour)
	scale := func(d time.Duration) float64 { return math.Log1p(math.Max(0, float64(d)/float64(harvestStretch))) }
	x := func(t time.Time) float64 {
		return harvestLeft + (harvestRight-harvestLeft)*math.Min(scale(t.Sub(h.Death))/scale(last), 1)
	}
	var c canvas
	c.add(`<svg class="harvest" viewBox="0 0 %v 220" role="img" aria-label="From death to delivery, the time since `+
		`death stretched towards its beginning">`, harvestW)
	h.ticks(&c, last, x)
	h.rigor(&c, x)
	c.add(`<path class="harvest-line" d="M%v %vH%v"/>`, x(h.Death), harvestLine, x(h.Now))
	if !h.Chill.IsZero() {
		at := x(h.Chill)
		c.add(`<path class="limit" d="M%v %vV%v"/><text class="limit-text" x="%v" y="%v" text-anchor="end">%v</text>`,
			at, harvestLine-26, harvestLine+14, at-6, harvestLine+20, h.ChillFor)
	}
	ends := [3]float64{-100, -100, -100}
	for _, s := range h.Steps {
		at := x(s.At)
		class := "step"
		name := s.Name
		if s.Assumed {
			class, name = "step step-assumed", name+"?"
		}
		row := 0
		for row < 2 && ends[row] > at {
			row++
		}
		ends[row] = at + float64(len([]rune(name)))*9 + 14
		y := 20 + 22*float64(row)
		if !s.Until.IsZero() {
			c.add(`<path class="step-span" d="M%v %vH%v"/>`, at, harvestLine, x(s.Until))
		}
		anchor, tx := "start", at+5
		if at > harvestRight-90 {
			anchor, tx = "end", at-5
		}
		c.add(`<path class="%v" d="M%v %vV%v"/><circle class="%v" cx="%v" cy="%v" `+
			`r="7"><title>%v</title></circle><text class="%v" x="%v" y="%v" text-anchor="%v">%v</text>`,
			class, at, y-12, harvestLine, class, at, harvestLine, s.Name+" "+s.At.In(h.Zone).Format("2 Jan 15:04"),
			class, tx, y, anchor, name)
	}
	c.add(`<path class="harvest-now" d="M%v %vV%v"/><text class="harvest-now-text" x="%v" y="%v" `+
		`text-anchor="end">now</text></svg>`, x(h.Now), harvestLine-20, harvestBase-10, x(h.Now)-6, harvestLine-12)
	return c.html()
}

func (h Harvest) ticks(c *canvas, last time.Duration, x func(time.Time) float64) {
	end := -100.0
	for _, t := range []struct {
		d    time.Duration
		name string
	}{{0, "death"}, {5 * time.Minute, "5 min"}, {10 * time.Minute, "10"}, {30 * time.Minute, "30 min"},
		{time.Hour, "1 h"}, {2 * time.Hour, "2"}, {4 * time.Hour, "4 h"}, {8 * time.Hour, "8"},
		{12 * time.Hour, "12 h"},
		{24 * time.Hour, "1 day"}, {48 * time.Hour, "2 days"}, {96 * time.Hour, "4 days"},
		{192 * time.Hour, "8 days"}} {
		if t.d > last {
			break
		}
		at := x(h.Death.Add(t.d))
		c.add(`<path class="grid" d="M%v %vV%v"/>`, at, harvestLine, harvestBase)
		if at > end {
			anchor := "middle"
			if t.d == 0 {
				anchor = "start"
			}
			c.add(`<text class="axis" x="%v" y="%v" text-anchor="%v">%v</text>`, at, harvestBase+18, anchor, t.name)
			end = at + 44
		}
	}
}

// rigor draws the stiffness as a band that rises over the range of its onset
// and falls over that of its end.
func (h Harvest) rigor(c *canvas, x func(time.Time) float64) {
	if h.End[1].IsZero() {
		return
	}
	const top, base = 134.0, 174.0
	c.add(`<path class="rigor" d="M%v %vL%v %vH%vL%v %vZ"/>`, x(h.Onset[0]), base,
		math.Min(x(h.Onset[1]), x(h.End[0])), top, math.Max(x(h.Onset[1]), x(h.End[0])), x(h.End[1]), base)
	c.add(`<path class="rigor-sure" d="M%v %vV%vM%v %vV%v"/>`, x(h.Onset[0]), top, base+6, x(h.End[1]), top, base+6)
	middle := (x(h.Onset[0]) + x(h.End[1])) / 2
	c.add(`<text class="rigor-text" x="%v" y="%v" text-anchor="middle">in rigor</text>`, middle, base-12)
}
