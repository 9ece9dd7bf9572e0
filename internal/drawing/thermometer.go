package drawing

import (
	"html/template"
	"math"
)

// Thermometer is what a place shows beside its limit. Drawn side by side the limits stand at one
// height, so that the one that is over it sticks out.
type Thermometer struct {
	Celsius float64 // NaN for nothing read
	Limit   float64
}

// What a thermometer shows below and above its limit, K.
const belowLimit, aboveLimit = 6.0, 4.0

// Level is how full the thermometer is, as a share of its height: the limit is at belowLimit of it.
func (t Thermometer) Level() float64 {
	k := math.Min(math.Max(t.Celsius-t.Limit, -belowLimit+0.6), aboveLimit)
	return (k + belowLimit) / (belowLimit + aboveLimit)
}

// Draw draws it; the script moves the fill as something else is typed.
func (t Thermometer) Draw() template.HTML {
	const top, height = 3.0, 36.0
	var c canvas
	over := ""
	level := 0.0
	if !math.IsNaN(t.Celsius) {
		level = t.Level()
		if t.Celsius > t.Limit {
			over = " thermo-over"
		}
	}
	c.add(`<svg class="thermo%v" viewBox="0 0 30 48" width="30" height="48" aria-hidden="true">`, over)
	c.add(`<rect class="thermo-glass" x="11" y="%v" width="9" height="%v" rx="4.5"/><circle class="thermo-glass" cx="15.5" cy="42" r="5.5"/>`,
		top, height)
	c.add(`<circle class="thermo-fill" cx="15.5" cy="42" r="4"/><rect class="thermo-fill" data-fill="%v %v" x="13.5" y="%v" width="4" height="%v"/>`,
		top, height, top+height*(1-level), height*level+2)
	limit := top + height*(1-belowLimit/(belowLimit+aboveLimit))
	c.add(`<path class="thermo-limit" d="M4 %vH26"/></svg>`, limit)
	return c.html()
}
