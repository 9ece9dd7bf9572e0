package drawing

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/unit"
)

// Curves are temperatures of cores over the hours, one line each.
type Curves struct {
	Lines  []Curve
	Hours  float64 // shown
	Scale  unit.TempScale
	LimitC float64
	Limit  string
}

// Curve is one of them.
type Curve struct {
	Name   string
	Points []heat.Moment
}

// Draw makes the drawing; the lines differ by their dashes and are named
// beside it.
func (v Curves) Draw() template.HTML {
	const w, h, left, right, top, bottom = 760.0, 330.0, 46.0, 580.0, 14.0, 290.0
	lo, hi := -1.0, v.LimitC+2
	for _, l := range v.Lines {
		for _, p := range l.Points {
			lo, hi = math.Min(lo, p.Core-1), math.Max(hi, p.Core+1)
		}
	}
	lo, hi = math.Floor(lo), math.Ceil(hi)
	x := func(hours float64) float64 { return left + (right-left)*math.Min(hours/v.Hours, 1) }
	y := func(c float64) float64 { return bottom - (bottom-top)*(c-lo)/(hi-lo) }
	var c canvas
	c.add(`<svg class="curves" viewBox="0 0 %v %v" role="img" aria-label="Core temperature over the hours">`, w, h)
	c.degrees(lo, hi, 8, v.Scale, left-6, left, right, y)
	hour := 1.0
	for _, s := range []float64{2, 3, 6, 12} {
		if v.Hours/hour > 8 {
			hour = s
		}
	}
	for t := 0.0; t <= v.Hours; t += hour {
		c.add(`<path class="grid" d="M%v %vV%v"/><text class="axis" x="%v" y="%v" text-anchor="middle">%v</text>`,
			x(t), top, bottom, x(t), bottom+20, fmt.Sprintf("%.0f h", t))
	}
	c.add(`<path class="limit" d="M%v %vH%v"/>`, left, y(v.LimitC), right)
	for i, part := range strings.SplitN(v.Limit, ", ", 2) {
		c.add(`<text class="limit-text" x="%v" y="%v">%v</text>`, right+8, y(v.LimitC)+5+17*float64(i), part)
	}
	for i, l := range v.Lines {
		var path strings.Builder
		for _, p := range l.Points {
			if p.Since.Hours() > v.Hours {
				break
			}
			path.WriteString(pick(path.Len() == 0, "M", "L") + num(x(p.Since.Hours())) + " " + num(y(p.Core)))
		}
		row := top + 14 + 24*float64(i)
		c.add(`<path class="curve curve-%v" d="%v"/><path class="curve curve-%v" d="M%v %vh34"/><text `+
			`class="curve-name" x="%v" y="%v">%v</text>`, i, raw(path.String()), i, right+14, row-5, right+56, row,
			l.Name)
	}
	c.add(`</svg>`)
	return c.html()
}
