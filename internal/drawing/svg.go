// Package drawing makes the pictures: the fish that becomes the fish, the ruler
// of ages and the cold line. They are SVG, computed from the state that they
// show; their colours are the classes of the style sheet, so that themes and
// print apply to them.
package drawing

import (
	"fmt"
	"html/template"
	"math"
	"strconv"
	"strings"

	"leancatch/internal/core/unit"
)

// point is a place on a drawing.
type point struct{ x, y float64 }

// canvas collects the elements of one drawing.
type canvas struct{ strings.Builder }

// add writes an element; numbers are written with one decimal at most.
func (c *canvas) add(format string, args ...any) {
	for i, a := range args {
		switch v := a.(type) {
		case float64:
			args[i] = num(v)
		case string:
			args[i] = template.HTMLEscapeString(v)
		case raw:
			args[i] = string(v)
		}
	}
	fmt.Fprintf(c, format, args...)
}

// degrees draws the lines of a temperature axis from lo to hi °C, at most about
// most of them, between left and right, with their labels, in the scale, before
// text.
func (c *canvas) degrees(lo, hi, most float64, scale unit.TempScale, text, left, right float64,
	y func(float64) float64) {
	step := 1.0
	for _, s := range []float64{2, 5, 10, 20} {
		if (hi-lo)/step > most {
			step = s
		}
	}
	for t := math.Ceil(lo/step) * step; t <= hi; t += step {
		label := t
		if scale == unit.FahrenheitScale {
			label = unit.CelsiusToFahrenheit(t)
		}
		c.add(`<path class="grid" d="M%v %vH%v"/><text class="axis" x="%v" y="%v" text-anchor="end">%v°</text>`, left,
			y(t), right, text, y(t)+5, unit.Number(label, 0))
	}
}

// raw is text that is markup already.
type raw string

// html returns the drawing.
func (c *canvas) html() template.HTML { return template.HTML(c.String()) }

// num writes a coordinate with at most one decimal. It is called for every
// point, so it does without the general formatting.
func num(v float64) string {
	if math.IsNaN(v) || math.Abs(v) > 1e9 {
		v = 0
	}
	tenths := int64(math.Round(v * 10))
	var buf [24]byte
	b := buf[:0]
	if tenths < 0 {
		b = append(b, '-')
		tenths = -tenths
	}
	b = strconv.AppendInt(b, tenths/10, 10)
	if tenths%10 != 0 {
		b = append(b, '.', byte('0'+tenths%10))
	}
	return string(b)
}

// smooth returns a path through the points, a Catmull-Rom spline as cubic
// Bézier curves. It continues a path that stands at the first point.
func smooth(p []point) string {
	var b strings.Builder
	for i := 0; i+1 < len(p); i++ {
		before, after := p[max(i-1, 0)], p[min(i+2, len(p)-1)]
		c1 := point{p[i].x + (p[i+1].x-before.x)/6, p[i].y + (p[i+1].y-before.y)/6}
		c2 := point{p[i+1].x - (after.x-p[i].x)/6, p[i+1].y - (after.y-p[i].y)/6}
		b.WriteByte('C')
		for k, q := range [...]point{c1, c2, p[i+1]} {
			if k > 0 {
				b.WriteByte(' ')
			}
			b.WriteString(num(q.x))
			b.WriteByte(' ')
			b.WriteString(num(q.y))
		}
	}
	return b.String()
}

// move returns the beginning of a path.
func move(p point) string { return "M" + num(p.x) + " " + num(p.y) }

// line returns a straight piece of a path.
func line(p point) string { return "L" + num(p.x) + " " + num(p.y) }
