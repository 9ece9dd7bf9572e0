package drawing

import (
	"fmt"
	"html/template"
	"math"
	"slices"
)

// Plan is the kitchen's cold places as somebody sees them who stands in front:
// columns side by side, the lowest level on the floor.
type Plan struct{ Cells []Cell }

// Cell is one place in it.
type Cell struct {
	Href    string
	Name    string
	Kind    string // of the place
	Column  int
	Level   int
	Temp    string  // what it reads now
	Says    string  // in a word or two below: its lots, its alarm
	Fill    float64 // share of what it takes that is used; below 0 where unknown
	State   string  // "ok", "warn", "stop" or "quiet"
	Ready   bool    // holds ready-to-eat food
	Dripped bool    // raw fish lies above it
	Mark    bool    // the place that the page is about
}

// Geometry of the plan.
const (
	cellW, cellH = 196.0, 150.0
	cellGap      = 14.0
	floorH       = 22.0
)

// Draw makes the drawing. Columns that are not used close up.
func (p Plan) Draw() template.HTML {
	var columns []int
	levels := 1
	for _, cell := range p.Cells {
		if !slices.Contains(columns, cell.Column) {
			columns = append(columns, cell.Column)
		}
		levels = max(levels, cell.Level+1)
	}
	slices.Sort(columns)
	w := float64(len(columns))*(cellW+cellGap) + cellGap
	h := float64(levels)*(cellH+cellGap) + floorH
	var c canvas
	c.add(`<svg class="elevation" viewBox="0 0 %v %v" role="group" aria-label="Plan of the cold places">`, w, h)
	c.add(`<path class="plan-floor" d="M0 %vH%v"/>`, h-floorH+2, w)
	seen := map[[2]int]int{}
	for _, cell := range p.Cells {
		at := [2]int{slices.Index(columns, cell.Column), cell.Level}
		x := cellGap + float64(at[0])*(cellW+cellGap)
		y := h - floorH - float64(cell.Level+1)*(cellH+cellGap) + cellGap
		shift := 10 * float64(seen[at]) // two in one spot are seen to be two
		seen[at]++
		cell.draw(&c, x+shift, y+shift, cell.Level == 0)
	}
	c.add(`</svg>`)
	return c.html()
}

func (cell Cell) draw(c *canvas, x, y float64, floor bool) {
	class := "plan-cell plan-" + cell.State
	if cell.Mark {
		class += " plan-here"
	}
	label := fmt.Sprintf("%s: %s, %s", cell.Name, cell.Temp, cell.Says)
	c.add(`<a href="%v" class="%v" aria-label="%v"><title>%v</title>`, cell.Href, class, label, label)
	cell.body(c, x, y, floor)
	c.add(`<text class="plan-name" x="%v" y="%v">%v</text>`, x+14, y+28, fit(cell.Name, cellW-40))
	c.add(`<text class="plan-temp" x="%v" y="%v">%v</text>`, x+14, y+74, cell.Temp)
	if cell.State == "stop" || cell.State == "warn" {
		c.add(`<path class="plan-glyph" d="M%v %vl13 23h-26z"/><path class="plan-bang" d="M%v %vv9m0 4v1"/>`,
			x+cellW-30, y+46, x+cellW-30, y+53)
	}
	c.add(`<text class="plan-says" x="%v" y="%v">%v</text>`, x+14, y+98, fit(cell.Says, cellW-20))
	if cell.Ready {
		c.add(`<rect class="plan-ready" x="%v" y="%v" width="%v" height="20"/><text class="plan-ready-text" x="%v" `+
			`y="%v">ready to eat</text>`, x+12, y+107, cellW-24, x+18, y+122)
	}
	if cell.Dripped { // drops from above
		for i := range 4 {
			c.add(`<path class="plan-drop" d="M%v %vc-6 9 -6 14 0 14s6 -5 0 -14z"/>`, x+cellW*0.3+float64(i)*26,
				y-12+6*math.Mod(float64(i), 2))
		}
	}
	if cell.Fill >= 0 {
		share := math.Min(cell.Fill, 1)
		class := "plan-fill"
		if cell.Fill > 1 {
			class += " plan-over"
		}
		c.add(`<rect class="plan-track" x="%v" y="%v" width="%v" height="9"/><rect class="%v" x="%v" y="%v" `+
			`width="%v" height="9"/>`, x+14, y+cellH-20, cellW-28, class, x+14, y+cellH-20, (cellW-28)*share)
	}
	c.add(`</a>`)
}

// body draws what the place is.
func (cell Cell) body(c *canvas, x, y float64, floor bool) {
	rect := func(class string, dx, dy, w, h, r float64) {
		c.add(`<rect class="%v" x="%v" y="%v" width="%v" height="%v" rx="%v"/>`, class, x+dx, y+dy, w, h, r)
	}
	path := func(class, format string, args ...any) {
		c.add(`<path class="%v" d="%v"/>`, class, raw(fmt.Sprintf(format, args...)))
	}
	feet := func() {
		if floor {
			path("plan-part", "M%g %gv10m%g -10v10", x+22, y+cellH, cellW-44)
		}
	}
	switch cell.Kind {
	case "walk_in": // a door with hinges and a lever
		rect("plan-body", 0, 0, cellW, cellH+10, 3)
		rect("plan-part", 6, 6, cellW-12, cellH+4, 2)
		path("plan-part", "M%g %gh10v18h-10M%g %gh10v18h-10", x, y+36, x, y+cellH-36)
		path("plan-lever", "M%g %gv34", x+cellW-16, y+84)
	case "drawer", "thaw_shelf":
		rect("plan-body", 0, 0, cellW, cellH, 3)
		rect("plan-part", 5, 5, cellW-10, cellH-10, 2)
		if !cell.Ready {
			path("plan-lever", "M%g %gh58", x+cellW/2-29, y+cellH-32)
		}
		feet()
	case "tote": // a box with lumps of ice over its rim
		for i := range 9 {
			path("plan-ice", "M%g %gl8 -9l9 5l-3 9z", x+14+float64(i)*19, y+4)
		}
		path("plan-body", "M%g %gh%gl-9 %gh%gz", x, y, cellW, cellH+10, -(cellW - 18))
		path("plan-part", "M%g %gh%g", x+2, y+12, cellW-4)
		path("plan-lever", "M%g %gh44", x+cellW/2-22, y+cellH-32)
	case "freezer": // a chest with a lid
		rect("plan-body", 0, 8, cellW, cellH-8, 3)
		rect("plan-part", -3, 0, cellW+6, 12, 3)
		path("plan-snow", "M%g %gv30m-13 -22.5l26 15m0 -15l-26 15", x+cellW-36, y+84)
		feet()
	case "ager": // a glass door
		rect("plan-body", 0, 0, cellW, cellH, 3)
		rect("plan-glass", 8, 8, cellW-16, cellH-16, 2)
		feet()
	case "bench":
		rect("plan-body", 0, 0, cellW, cellH, 3)
		path("plan-part", "M%g %gh%g", x, y+14, cellW)
		feet()
	default: // a pallet on the dock, planks on deck
		rect("plan-body plan-open", 0, 0, cellW, cellH, 3)
		for i := range 6 {
			path("plan-part", "M%g %gh22", x+6+float64(i)*33, y+cellH+6)
		}
	}
}
