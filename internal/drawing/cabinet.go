package drawing

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/unit"
)

// Cabinet is an ageing cabinet with the fish that hangs in it, drawn to scale from the front.
type Cabinet struct {
	Name  string
	Air   string // in words: 1.4 °C, 78 %
	Warn  bool   // it is not as it should be
	Hooks int
	Fish  []HungFish
	Link  func(hook int) string // where an empty hook leads
}

// HungFish is a fish on its hook.
type HungFish struct {
	Subject
	Hook    int
	Kg      float64 // at the start: its length follows from it
	Loss    float64 // share: it darkens and shrinks
	Hanging string  // of ageing.Hangings
	Name    string
	Lines   []string // below it, the first large
	Warn    bool
	Href    string
}

// lengthCM is how long a fish of a weight is, cm: by its cube, with 11 g at 10 cm (the
// condition of a usual round fish, house).
func lengthCM(kg float64) float64 { return math.Cbrt(1000 * kg / 0.011) }

// Geometry of the cabinet.
const (
	cabW, cabH               = 1200.0, 516.0
	cabLeft, cabRight        = 20.0, 1180.0
	cabTop, cabFloor, cabEnd = 66.0, 402.0, 508.0
	cabRail                  = 86.0
	cabInnerCM               = 60.0 // its height inside, if no fish is longer
)

// Draw makes the drawing: a cabinet with a glass front, a rail with hooks, the
// fish on them with what they weigh below.
func (d Cabinet) Draw() template.HTML {
	hooks := max(d.Hooks, 6)
	longest := cabInnerCM
	for _, f := range d.Fish {
		hooks = max(hooks, f.Hook)
		longest = math.Max(longest, lengthCM(f.Kg)*1.12)
	}
	perCM := (cabFloor - cabRail - 16) / longest
	x := func(hook int) float64 {
		return cabLeft + 30 + (cabRight-cabLeft-60)*(float64(hook)-0.5)/float64(hooks)
	}
	var c canvas
	c.add(`<svg class="cabinet" viewBox="0 0 %v %v" role="group" aria-label="%v with %v">`, cabW, cabH, d.Name,
		fmt.Sprintf("%d fish", len(d.Fish)))
	c.add(`<rect class="cab-body" x="%v" y="8" width="%v" height="%v" rx="10"/>`, cabLeft, cabRight-cabLeft, cabEnd-8)
	c.add(`<rect class="cab-inside" x="%v" y="%v" width="%v" height="%v" rx="4"/>`, cabLeft+14, cabTop,
		cabRight-cabLeft-28, cabEnd-cabTop-12)
	c.add(`<text class="cab-name" x="%v" y="46">%v</text><text class="cab-air%v" x="%v" y="48" `+
		`text-anchor="end">%v</text>`, cabLeft+22, d.Name, pick(d.Warn, " cab-warn", ""), cabRight-22, d.Air)
	for i := range 4 { // the fan behind a grid
		c.add(`<circle class="cab-fan" cx="%v" cy="%v" r="%v"/>`, cabRight-70, cabTop+34, float64(6+6*i))
	}
	for y := cabTop + 40; y < cabFloor; y += 40 {
		c.add(`<path class="cab-wall" d="M%v %vH%v"/>`, cabLeft+14, y, cabRight-14)
	}
	c.add(`<path class="cab-rail" d="M%v %vH%v"/><path class="cab-tray" d="M%v %vH%vl-10 12H%vz"/>`, cabLeft+20,
		cabRail, cabRight-20, cabLeft+24, cabFloor+2, cabRight-24, cabLeft+34)
	taken := map[int]bool{}
	for _, f := range d.Fish {
		taken[f.Hook] = true
	}
	for hook := 1; hook <= hooks; hook++ {
		if taken[hook] {
			continue
		}
		if d.Link == nil {
			c.add(`<path class="cab-hook" d="M%v %vv18a9 9 0 0 0 18 0"/>`, x(hook), cabRail)
			continue
		}
		c.add(`<a href="%v" class="cab-free" aria-label="%v"><rect class="cab-touch" x="%v" y="%v" width="120" `+
			`height="120"/><path class="cab-hook" d="M%v %vv18a9 9 0 0 0 18 0"/><text class="cab-plus" x="%v" `+
			`y="%v" text-anchor="middle">start</text></a>`,
			d.Link(hook), fmt.Sprintf("Start ageing on hook %d", hook), x(hook)-60, cabRail-10, x(hook), cabRail,
			x(hook)+4, cabRail+64)
	}
	drawn := map[string]bool{}
	c.add(`<defs>`)
	for _, f := range d.Fish {
		if id := f.Subject.String(); !drawn[id] {
			drawn[id] = true
			c.add(`<g id="hung-%v">`, id)
			drawingOf(f.Subject, nil).draw(&c)
			c.add(`</g>`)
		}
	}
	c.add(`</defs>`)
	for _, f := range d.Fish {
		f.draw(&c, x(f.Hook), perCM)
	}
	c.add(`<path class="cab-glint" d="M%v %vL%v %vM%v %vL%v %v"/></svg>`, cabLeft+60, cabFloor-40, cabLeft+200,
		cabTop+30, cabLeft+100, cabFloor-30, cabLeft+230, cabTop+50)
	return c.html()
}

// ends are where a drawing begins and ends, about y = 200: from the nose to the
// middle of the tail of what is still a fish.
func (s Subject) ends() (nose, tail float64) {
	if body, ok := drawingOf(s, nil).(*sketch); ok {
		return body.at(body.x0, 0).x, body.at(0.985, 0).x + 95
	}
	return 70, 930
}

// draw hangs the fish.
func (f HungFish) draw(c *canvas, x, perCM float64) {
	nose, tail := f.ends()
	scale := perCM * lengthCM(f.Kg) / (tail - nose)
	thin := math.Sqrt(math.Max(0.5, 1-1.6*f.Loss)) // it loses girth, not length
	turn, end := -90.0, tail                       // head down: the tail is at the hook
	if f.Hanging == "head_up" {
		turn, end = 90, nose
	}
	c.add(`<a href="%v" class="cab-fish" aria-label="%v"><path class="cab-hook" d="M%v %vv14"/>`, f.Href,
		f.Name+": "+strings.Join(f.Lines, ", "), x, cabRail)
	c.add(`<g transform="translate(%v %v) rotate(%v) scale(%s %s) translate(%v -200)"><use href="#hung-%v"/>`, x,
		cabRail+14, turn, fmt.Sprintf("%.4f", scale), fmt.Sprintf("%.4f", scale*thin), -end, f.Subject.String())
	c.add(`</g>`)
	y := cabFloor + 36
	c.add(`<rect class="cab-touch" x="%v" y="%v" width="170" height="%v"/>`, x-85, cabRail, cabEnd-cabRail-14)
	for i, text := range f.Lines {
		c.add(`<text class="%v" x="%v" y="%v" text-anchor="middle">%v</text>`,
			pick(i == 0, "cab-figure"+pick(f.Warn, " cab-warn", ""), "cab-line"), x, y, text)
		y += pick(i == 0, 24.0, 20.0)
	}
	c.add(`</a>`)
}

// Drying is the loss of a fish over the days, with what is forecast.
type Drying struct {
	From, Now time.Time
	Until     time.Time // the end of the axis
	Zone      *time.Location
	Line      []ageing.Point // from the start to Until
	Predicted []ageing.Point // as it was when the fish was hung
	Other     []ageing.Point // of a fish that it is compared with
	OtherName string
	Weighs    []ageing.Point // measured; Lo below 0 marks one that was set aside
	Target    float64
	Reaches   ageing.Moment
	Skin      float64
}

// Draw makes the chart: the band and the line of the loss, the weigh-ins, the
// target as a line, and when it is reached.
func (d Drying) Draw() template.HTML {
	const w, h, left, right, top, bottom = 1000.0, 460.0, 74.0, 980.0, 26.0, 400.0
	most := d.Target * 1.25
	for _, list := range [][]ageing.Point{d.Weighs, d.Line, d.Predicted, d.Other} {
		for _, p := range list {
			most = math.Max(most, math.Min(p.Mid*1.08, 0.4))
		}
	}
	days := math.Max(1, d.Until.Sub(d.From).Hours()/24)
	x := func(t time.Time) float64 {
		return left + (right-left)*math.Min(math.Max(t.Sub(d.From).Hours()/24/days, 0), 1)
	}
	y := func(loss float64) float64 { return bottom - (bottom-top)*math.Min(math.Max(loss/most, 0), 1) }
	var c canvas
	c.add(`<svg class="drying" viewBox="0 0 %v %v" role="img" aria-label="Loss of weight over the days">`, w, h)
	step := 0.01
	for _, s := range []float64{0.02, 0.05, 0.1} {
		if most/step > 7 {
			step = s
		}
	}
	for l := 0.0; l <= most; l += step {
		c.add(`<path class="grid" d="M%v %vH%v"/><text class="dry-axis" x="%v" y="%v" text-anchor="end">%v</text>`,
			left, y(l), right, left-10, y(l)+7, fmt.Sprintf("%.0f %%", 100*l))
	}
	every := 1
	for _, s := range []int{2, 3, 5, 7} {
		if days/float64(every) > 12 {
			every = s
		}
	}
	for n := 0; float64(n) <= days; n += every {
		at := d.From.AddDate(0, 0, n)
		c.add(`<path class="grid" d="M%v %vV%v"/><text class="dry-axis" x="%v" y="%v" text-anchor="middle">%v</text>`,
			x(at), top, bottom, x(at), bottom+26, pick(n == 0, "day 0", fmt.Sprintf("%d", n)))
	}
	if n := len(d.Line); n > 1 {
		var band strings.Builder
		for i, p := range d.Line {
			band.WriteString(pick(i == 0, "M", "L") + num(x(p.At)) + " " + num(y(p.Hi)))
		}
		for _, p := range slices.Backward(d.Line) {
			band.WriteString("L" + num(x(p.At)) + " " + num(y(p.Lo)))
		}
		c.add(`<path class="dry-band" d="%vZ"/>`, raw(band.String()))
	}
	path := func(class string, list []ageing.Point) {
		var line strings.Builder
		for i, p := range list {
			line.WriteString(pick(i == 0, "M", "L") + num(x(p.At)) + " " + num(y(p.Mid)))
		}
		if line.Len() > 0 {
			c.add(`<path class="%v" d="%v"/>`, class, raw(line.String()))
		}
	}
	path("dry-foretold", d.Predicted)
	path("dry-other", d.Other)
	path("dry-line", d.Line)
	c.add(`<path class="dry-skin" d="M%v %vH%v"/><text class="dry-small" x="%v" y="%v">skin ready</text>`, left,
		y(d.Skin), right, left+8, y(d.Skin)-7)
	c.add(`<path class="dry-target" d="M%v %vH%v"/><text class="dry-label" x="%v" y="%v">target %v</text>`, left,
		y(d.Target), right, left+8, y(d.Target)-9, fmt.Sprintf("%.0f %%", 100*d.Target))
	if m := d.Reaches; !m.Mid.IsZero() {
		hi := m.Hi
		if hi.IsZero() {
			hi = d.Until
		}
		c.add(`<path class="dry-when" d="M%v %vH%v"/><circle class="dry-dot" cx="%v" cy="%v" r="9"/><text `+
			`class="dry-label" x="%v" y="%v" text-anchor="%v">%v</text>`, x(m.Lo), y(d.Target), x(hi), x(m.Mid),
			y(d.Target),
			x(m.Mid), y(d.Target)-20, pick(x(m.Mid) > right-90, "end", "middle"), m.Mid.In(d.Zone).Format("Mon 2 Jan"))
	}
	if !d.Now.After(d.Until) {
		c.add(`<path class="needle-line" d="M%v %vV%v"/><text class="dry-small" x="%v" y="%v">now</text>`, x(d.Now),
			top, bottom, x(d.Now)+6, bottom-8)
	}
	for _, p := range d.Weighs {
		title := fmt.Sprintf("%s: %.1f %%", p.At.In(d.Zone).Format("Mon 2 Jan 15:04"), 100*p.Mid)
		if p.Lo < 0 {
			c.add(`<path class="dry-aside" d="M%v %vl14 14m0 -14l-14 14"><title>%v, set aside</title></path>`,
				x(p.At)-7, y(p.Mid)-7, title)
			continue
		}
		c.add(`<circle class="dry-weigh" cx="%v" cy="%v" r="7.5"><title>%v</title></circle>`, x(p.At), y(p.Mid), title)
	}
	if d.OtherName != "" {
		c.add(`<path class="dry-other" d="M%v %vh40"/><text class="dry-small" x="%v" y="%v">%v</text>`, left+10,
			bottom-34, left+58, bottom-28, d.OtherName)
	}
	c.add(`<text class="dry-axis" x="%v" y="%v" text-anchor="end">days</text></svg>`, right, bottom+50)
	return c.html()
}

// CabinetTrace is the air of an ageing cabinet over some days: its temperature above, its
// humidity below, each with the range that is wanted.
type CabinetTrace struct {
	From, To         time.Time
	Zone             *time.Location
	Scale            unit.TempScale
	Warmth, Moisture []TracePoint
}

// Draw makes the two charts.
func (t CabinetTrace) Draw() template.HTML {
	const w, left, right = 1200.0, 58.0, 1190.0
	var c canvas
	c.add(`<svg class="cab-trace" viewBox="0 0 %v 300" role="img" aria-label="Temperature and humidity of the cabinet">`, w)
	x := func(hours float64) float64 { return left + (right-left)*hours/t.To.Sub(t.From).Hours() }
	chart := func(top, bottom, lo, hi, from, to float64, points []TracePoint, label func(float64) string,
		step float64) {
		y := func(v float64) float64 { return bottom - (bottom-top)*math.Min(math.Max((v-lo)/(hi-lo), 0), 1) }
		c.add(`<rect class="cab-wanted" x="%v" y="%v" width="%v" height="%v"/>`, left, y(to), right-left, y(from)-y(to))
		for v := lo; v <= hi+1e-9; v += step {
			c.add(`<path class="grid" d="M%v %vH%v"/><text class="axis" x="%v" y="%v" text-anchor="end">%v</text>`,
				left, y(v), right, left-6, y(v)+5, label(v))
		}
		var line strings.Builder
		for i, p := range points {
			line.WriteString(pick(p.Break || i == 0, "M", "L") + num(x(p.At.Sub(t.From).Hours())) + " " +
				num(y(p.Mean)))
		}
		if line.Len() > 0 {
			c.add(`<path class="cab-line-%v" d="%v"/>`, pick(step >= 1, "t", "h"), raw(line.String()))
		}
	}
	hi := 6.0
	for _, p := range t.Warmth {
		hi = math.Max(hi, math.Min(math.Ceil(p.Mean/2)*2, 14))
	}
	chart(12, 120, 0, hi, ageing.LeastC, ageing.MostC, t.Warmth, func(v float64) string {
		return unit.FormatTemp(v, t.Scale)
	}, 2)
	chart(146, 262, 0.5, 1, ageing.LeastRH, ageing.MostRH, t.Moisture, func(v float64) string {
		return fmt.Sprintf("%.0f %%", 100*v)
	}, 0.1)
	hourAxis(&c, t.From, t.To.Sub(t.From).Hours(), t.Zone, x, 12, 262)
	c.add(`</svg>`)
	return c.html()
}
