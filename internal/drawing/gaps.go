package drawing

import (
	"fmt"
	"html/template"
	"math"
	"time"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/unit"
)

// GapPoint is the age gap of one lot.
type GapPoint struct {
	At    time.Time
	Days  float64 // what the fish says less what the papers say, fresh days
	Label string
	Href  string
}

// AgeGaps draws age gaps over time about the line of none: above it fish read
// older than their papers. The mean's band is drawn where there are lots enough.
func AgeGaps(points []GapPoint, c freshness.Consistency, zone *time.Location) template.HTML {
	const left, right, top, bottom = 64.0, 984.0, 14.0, 150.0
	if len(points) == 0 {
		return ""
	}
	from, to, most := points[0].At, points[len(points)-1].At, 3.0
	for _, p := range points {
		most = math.Max(most, math.Ceil(math.Abs(p.Days)))
	}
	span := math.Max(to.Sub(from).Hours(), 24)
	x := func(t time.Time) float64 { return left + 20 + (right-left-40)*t.Sub(from).Hours()/span }
	y := func(d float64) float64 { return (top+bottom)/2 - d*(bottom-top)/2/most }
	var s canvas
	s.add(`<svg class="gaps" viewBox="0 0 1000 190" role="group" aria-label="%v">`,
		fmt.Sprintf("Older than its papers by of %d lots over time", len(points)))
	for _, d := range []float64{-most, -most / 2, 0, most / 2, most} {
		class := "gap-grid"
		if d == 0 {
			class = "gap-none"
		}
		s.add(`<path class="%v" d="M%v %vH%v"/><text class="gap-day" x="%v" y="%v">%v</text>`, class, left, y(d),
			right, left-8, y(d)+6, unit.Signed(d, 1))
	}
	if c.Enough() {
		s.add(`<rect class="gap-band" x="%v" y="%v" width="%v" height="%v"/><path class="gap-mean" d="M%v %vH%v"/>`,
			left, y(c.Hi), right-left, math.Max(2, y(c.Lo)-y(c.Hi)), left, y(c.Mean), right)
	}
	for _, p := range points {
		s.add(`<a href="%v" aria-label="%v"><circle class="gap-touch" cx="%v" cy="%v" r="22"/><circle `+
			`class="gap-dot" cx="%v" cy="%v" r="8"/></a>`, p.Href, p.Label, x(p.At), y(p.Days), x(p.At), y(p.Days))
	}
	s.add(`<text class="gap-date" x="%v" y="180">%v</text>`, left+20, from.In(zone).Format("2 Jan"))
	if to.Sub(from) > 36*time.Hour {
		s.add(`<text class="gap-date gap-last" x="%v" y="180">%v</text>`, right-20, to.In(zone).Format("2 Jan"))
	}
	s.add(`</svg>`)
	return s.html()
}
