package drawing

import (
	"html/template"
	"math"
)

// Life is how long a lot keeps somewhere, as a bar. Its width is in shares of the
// drawing, which is stretched to the row that it stands in.
type Life struct {
	Days    float64 // +Inf where the clock paused while frozen, NaN where nothing is known
	Most    float64 // days that fill the bar
	Service float64 // days until the hour of service; below 0 for none
	Stops   float64 // days until a safety budget is full; below 0 for never
	Here    bool    // where it lies now
	Fits    bool    // nothing speaks against it
	Label   string
}

// Draw makes the drawing.
func (l Life) Draw() template.HTML {
	const w, h = 1000.0, 40.0
	x := func(days float64) float64 { return w * math.Min(math.Max(days/l.Most, 0), 1) }
	class := "life"
	switch {
	case !l.Fits:
		class += " life-no"
	case l.Here:
		class += " life-here"
	}
	var c canvas
	c.add(`<svg class="%v" viewBox="0 0 %v %v" preserveAspectRatio="none" role="img" aria-label="%v">`, class, w, h,
		l.Label)
	c.add(`<rect class="life-track" x="0" y="4" width="%v" height="32"/>`, w)
	switch {
	case math.IsNaN(l.Days):
	case math.IsInf(l.Days, 1): // it paused while frozen: no end
		c.add(`<rect class="life-still" x="0" y="4" width="%v" height="32"/>`, w)
		for i := range 24 {
			c.add(`<path class="life-dash" d="M%v 20h22"/>`, 12+float64(i)*41)
		}
	default:
		end := l.Days
		if l.Stops >= 0 {
			end = math.Min(end, l.Stops)
		}
		c.add(`<rect class="life-bar" x="0" y="4" width="%v" height="32"/>`, math.Max(3, x(end)))
		if l.Stops >= 0 && l.Stops < l.Days {
			c.add(`<rect class="life-lost" x="%v" y="4" width="%v" height="32"/><rect class="life-stop" x="%v" `+
				`y="0" width="5" height="40"/>`, x(l.Stops), x(l.Days)-x(l.Stops), x(l.Stops))
		}
	}
	if l.Service >= 0 && l.Service <= l.Most {
		c.add(`<rect class="life-service" x="%v" y="0" width="4" height="40"/>`, x(l.Service)-2)
	}
	c.add(`</svg>`)
	return c.html()
}

// Nice is a round number of days at or above the largest of some, for the
// scale of bars; a day at least.
func Nice(days ...float64) float64 {
	most := 1.0
	for _, d := range days {
		if !math.IsInf(d, 0) && d > most {
			most = d
		}
	}
	for _, n := range []float64{1, 2, 3, 4, 5, 6, 8, 10, 12, 14, 16, 20, 24, 30, 40, 60} {
		if n >= most {
			return n
		}
	}
	return math.Ceil(most/10) * 10
}
