package drawing

import (
	"fmt"
	"html/template"
	"math"
)

// Meter is a budget: hours used of those allowed.
type Meter struct {
	Label   string
	Used    float64 // hours, of which Unknown were not recorded
	Unknown float64
	Allowed float64
	Warn    float64 // share at which the warning begins
	Missing bool    // nobody knows how much was used
	// Answered draws no hours: somebody explained them, or a test was met.
	Answered bool
	Percent  bool // of what is allowed, in place of hours
}

// Draw makes the drawing: the part used, what of it is unknown hatched, a notch
// where the warning begins, the end as a wall.
func (m Meter) Draw() template.HTML {
	const w, left, right, top, height = 360.0, 2.0, 352.0, 24.0, 26.0
	x := func(hours float64) float64 {
		return left + (right-left)*math.Min(math.Max(hours, 0)/m.Allowed, 1)
	}
	class := "budget-ok"
	switch share := m.Used / m.Allowed; {
	case m.Answered:
		m.Used, m.Unknown = 0, 0
	case m.Missing:
		class = "budget-unknown"
	case share >= 1:
		class = "budget-stop"
	case share >= m.Warn:
		class = "budget-warn"
	}
	text := fmt.Sprintf("%.1f h of %.0f h", m.Used, m.Allowed)
	switch {
	case m.Answered:
		text = "explained or tested"
	case m.Percent:
		text = fmt.Sprintf("%.0f %% of it used", m.Used)
	case m.Unknown > 0:
		text = "up to " + text
	case m.Missing:
		text = fmt.Sprintf("unknown, of %.0f h", m.Allowed)
	}
	var c canvas
	c.add(`<svg class="budget %v" viewBox="0 0 %v 56" role="img" aria-label="%v">`, class, w, m.Label+": "+text)
	c.add(`<text class="budget-label" x="%v" y="16">%v</text><text class="budget-text" x="%v" y="16" `+
		`text-anchor="end">%v</text>`, left, m.Label, right, text)
	c.add(`<rect class="budget-track" x="%v" y="%v" width="%v" height="%v"/>`, left, top, right-left, height)
	known := math.Max(0, m.Used-m.Unknown)
	if !m.Missing {
		c.add(`<rect class="budget-used" x="%v" y="%v" width="%v" height="%v"/>`, left, top, x(known)-left, height)
	}
	from, to := x(known), x(m.Used)
	if m.Missing {
		from, to = left, right
	}
	for at := from - height; at < to; at += 9 { // hatched: not recorded
		a, b := math.Max(at, from), math.Min(at+height, to)
		if b > a && (m.Unknown > 0 || m.Missing) {
			c.add(`<path class="budget-hatch" d="M%v %vL%v %v"/>`, a, top+height-(a-at), b, top+height-(b-at))
		}
	}
	warn := left + (right-left)*m.Warn
	c.add(`<path class="budget-notch" d="M%v %vv%v"/><path class="budget-end" d="M%v %vv%v"/></svg>`, warn, top-2,
		height+4, right, top-4, height+8)
	return c.html()
}
