package drawing

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// Bench is fish on the chopping board, which comes apart as its parts are weighed.
type Bench struct {
	Subject
	Body   species.Body
	Main   string      // the part that the flanks are cut into
	Parts  []BenchPart // that can be cut of it
	Cuts   []BenchCut  // where to cut, marked
	Steps  []string    // of a cutting card: the part at which each is done, marked by its number
	Length float64     // of the fish from the cut behind the head, or of the fillet, mm; 0 where nobody measured it
}

// BenchPart is one of the parts, with what the scale said of it.
type BenchPart struct {
	Form, Name string
	Text       string  // "4 · 1.9 kg"; "" while it was not weighed
	Now        bool    // it is on the scale
	Worth      float64 // of a kilogram against the dearest part: how deep it is coloured; 0 for parts that are weighed only
}

// BenchCut is a piece that is marked before it is cut.
type BenchCut struct {
	FromMM, ToMM float64
	Text         string // "170 g"
	Rest         bool   // what remains at the tail
}

// region is where a part lies on a drawing, and whereto it goes when it is off.
type region struct {
	clip, zone string // paths: as far as its fins reach, and of its flesh alone
	off        point
	label      point
}

// Draw draws the board with the fish. Each part is a link to #cut-<form>.
func (b Bench) Draw() template.HTML {
	f := drawingOf(b.Subject, freshness.Features{})
	var c canvas
	c.add(`<svg class="fish on-board" viewBox="0 -24 1000 %v" role="group" aria-label="%v on the chopping board">`, 452.0, f.name())
	c.add(`<rect class="board-wood" x="4" y="-20" width="992" height="444" rx="16"/>` +
		`<circle class="board-hole" cx="962" cy="14" r="15"/>`)
	c.add(`<defs><g id="on-board">`)
	f.draw(&c)
	c.add(`</g></defs>`)
	regions := b.regions(f)
	if len(regions) == 0 {
		c.add(`<use href="#on-board"/>`)
	}
	if s, ok := f.(*sketch); ok {
		s.canvas = &c
		s.bones()
	}
	var words canvas // on top of all parts
	for _, form := range []string{"tail_piece", b.Main, "belly", "collar", "nape", "head", "cheek", "wing"} {
		b.drawPart(&c, &words, form, regions[form])
	}
	c.WriteString(words.String())
	b.drawCuts(&c, f)
	b.drawSteps(&c, regions)
	c.add(`</svg>`)
	return c.html()
}

func (b Bench) part(form string) (BenchPart, bool) {
	for _, p := range b.Parts {
		if p.Form == form {
			return p, true
		}
	}
	return BenchPart{}, false
}

func (b Bench) drawPart(c, words *canvas, form string, list []region) {
	p, has := b.part(form)
	for i, r := range list {
		id := fmt.Sprintf("part-%s-%d", form, i)
		off := point{}
		if p.Text != "" {
			off = r.off
		}
		c.add(`<clipPath id="%v"><path d="%v"/></clipPath><g transform="translate(%v %v)"><use href="#on-board" clip-path="url(#%v)"/>`,
			id, raw(r.clip), off.x, off.y, id)
		if has {
			class := "cut-zone"
			if p.Text != "" {
				class += " cut-weighed"
			}
			if p.Now {
				class += " cut-now"
			}
			if p.Worth > 0 {
				c.add(`<path class="cut-worth" fill-opacity="%v" d="%v"/>`, fmt.Sprintf("%.2f", 0.15+0.6*p.Worth), raw(r.zone))
			} else {
				c.add(`<a href="#cut-%v" data-press="add-%v" class="%v" aria-label="%v"><path d="%v"/></a>`, form, form, class, p.Name, raw(r.zone))
			}
			if p.Text != "" && i == 0 {
				class, text := "cut-text", p.Text
				if slices.Contains(small, form) {
					class += " cut-text-small"
					if _, kg, ok := strings.Cut(text, "· "); ok {
						text = kg
					}
				}
				words.add(`<text class="%v" x="%v" y="%v" text-anchor="middle">%v</text>`, class, r.label.x+off.x, r.label.y+off.y, text)
			}
		}
		c.add(`</g>`)
	}
}

// small are the parts on which a long text has no room.
var small = []string{"collar", "cheek", "nape", "tail_piece"}

// regions are where the parts lie on a drawing.
func (b Bench) regions(f figureDrawing) map[string][]region {
	switch f := f.(type) {
	case *sketch:
		return f.regions(b.Body, b.Main)
	case *fillet:
		return f.regions(b.Main)
	}
	return nil
}

// inBody is a point at a share of the body's height: 1 is the back, −1 the belly. Before and behind the body its height
// is that of its end.
func (f *sketch) inBody(x, share float64) point {
	height := f.above
	if share < 0 {
		height = f.below
	}
	return f.at(x, share*height(math.Min(math.Max(x, f.x0), 1)))
}

// fleshFrom is where the flesh begins: behind the head and the collar, where the fish has them.
func (f *sketch) fleshFrom() float64 {
	if f.headless || f.disc {
		return f.x0
	}
	return f.gill + 0.045
}

// band is the outline of a stretch of the body, between two shares of its height.
func (f *sketch) band(x0, x1, low, high float64) string {
	const n = 16
	var top, bottom []point
	for i := 0; i <= n; i++ {
		top = append(top, f.inBody(x0+(x1-x0)*float64(i)/n, high))
		bottom = append(bottom, f.inBody(x1-(x1-x0)*float64(i)/n, low))
	}
	return move(top[0]) + smooth(top) + line(bottom[0]) + smooth(bottom) + "Z"
}

// all is so much of the height that fins are in it.
const all = 4

func (f *sketch) regionOf(x0, x1, low, high float64, off point) region {
	reach := func(share float64) float64 {
		if math.Abs(share) >= 1 {
			return math.Copysign(all, share)
		}
		return share
	}
	label := f.inBody((x0+x1)/2, (low+high)/2)
	label.y += 9
	from, to := x0, x1
	if from <= f.x0 {
		from = f.x0 - 0.3
	}
	if to >= 1 {
		to = 1.4
	}
	return region{f.band(from, to, reach(low), reach(high)), f.band(math.Max(x0, f.x0), math.Min(x1, 1), low, high), off, label}
}

func (f *sketch) regions(body species.Body, main string) map[string][]region {
	list := map[string][]region{}
	begin := f.fleshFrom()
	shoulder := begin // where the flesh of the back reaches its full height
	if !f.headless && !f.disc {
		shoulder = begin + 0.09
		list["head"] = []region{f.regionOf(0, f.gill, -1, 1, point{-26, 0})}
		list["collar"] = []region{f.regionOf(f.gill, begin, -1, 0.5, point{-14, 16})}
		list["nape"] = []region{f.regionOf(f.gill, shoulder, 0.5, 1, point{-10, -22})}
		cheek := f.at(f.eye.x+0.5*(f.gill-f.eye.x), -0.3*f.below(f.eye.x))
		r := 0.30 * (f.gill - f.eye.x) * f.length * f.zoom
		path := fmt.Sprintf("M%s %sa%s %s 0 1 0 %s 0a%s %s 0 1 0 -%s 0Z", num(cheek.x-r), num(cheek.y),
			num(r), num(0.8*r), num(2*r), num(r), num(0.8*r), num(2*r))
		list["cheek"] = []region{{path, path, point{-14, 46}, point{cheek.x, cheek.y + 8}}}
	}
	switch {
	case f.disc:
		list["wing"] = []region{f.regionOf(0.1, 0.95, 0.24, 1, point{0, -20}), f.regionOf(0.1, 0.95, -1, -0.24, point{0, 20})}
		list[""] = []region{f.regionOf(0, 1, -0.24, 0.24, point{})}
	case body == species.Round || body == species.LargePelagic:
		end := math.Min(f.belly0+0.2, 0.62)
		list["belly"] = []region{f.regionOf(begin, end, -1, -0.4, point{0, 26})}
		list["tail_piece"] = []region{f.regionOf(0.86, 1, -1, 1, point{24, 0})}
		back := f.regionOf(shoulder, 0.86, 0, 1, point{0, -30})
		front := f.regionOf(begin, shoulder, 0, 0.5, point{0, -30})
		low := f.regionOf(begin, end, -0.4, 0, point{0, -30})
		hind := f.regionOf(end, 0.86, -1, 0, point{0, -30})
		if body == species.LargePelagic { // the loins of the back, and those of the belly
			low.off, hind.off = point{0, 14}, point{0, 14}
		}
		list[main] = []region{back, front, low, hind}
	default:
		list["tail_piece"] = []region{f.regionOf(0.9, 1, -1, 1, point{20, 0})}
		list[main] = []region{f.regionOf(shoulder, 0.9, 0, 1, point{0, -24}), f.regionOf(begin, shoulder, 0, 0.5, point{0, -24}),
			f.regionOf(begin, 0.9, -1, 0, point{0, 24})}
	}
	return list
}

// bones are what is left between the parts: the spine, its ribs and spikes.
func (f *sketch) bones() {
	begin := f.gill + 0.02
	if f.headless {
		begin = f.x0
	}
	a, b := f.at(begin, 0), f.at(1.0, 0)
	f.add(`<path class="bone" d="M%v %vQ%v %v %v %v" stroke-width="9"/>`, a.x, a.y, (a.x+b.x)/2, f.at((begin+1)/2, 0).y, b.x, b.y)
	for i := range 22 {
		x := begin + (0.97-begin)*float64(i)/22
		foot := f.at(x, 0)
		up, down := f.at(x+0.03, 0.72*f.above(x)), f.at(x+0.035, -0.72*f.below(x))
		f.add(`<path class="bone" d="M%v %vL%v %vL%v %v" stroke-width="3"/>`, up.x, up.y, foot.x, foot.y, down.x, down.y)
	}
}

func (l *fillet) band(u0, u1, v0, v1 float64) string {
	const n = 12
	var top, low []point
	for i := 0; i <= n; i++ {
		top = append(top, l.place(u0+(u1-u0)*float64(i)/n, v0))
		low = append(low, l.place(u1-(u1-u0)*float64(i)/n, v1))
	}
	return move(top[0]) + smooth(top) + line(low[0]) + smooth(low) + "Z"
}

func (l *fillet) regions(main string) map[string][]region {
	of := func(u0, u1, v0, v1 float64, off point) region {
		reach := func(v float64) float64 {
			switch v {
			case 0:
				return -0.6
			case 1:
				return 1.6
			}
			return v
		}
		label := l.place((u0+u1)/2, (v0+v1)/2)
		label.y += 9
		to := u1
		if to == 1 {
			to = 1.1
		}
		return region{l.band(u0, to, reach(v0), reach(v1)), l.band(u0, u1, v0, v1), off, label}
	}
	return map[string][]region{
		"belly":      {of(0, 0.34, 0.72, 1, point{-8, 24})},
		"tail_piece": {of(0.86, 1, 0, 1, point{22, 0})},
		main:         {of(0, 0.34, 0, 0.72, point{0, -20}), of(0.34, 0.86, 0, 1, point{0, -20})},
	}
}

// drawCuts marks where to cut, on a ruler that begins behind the head.
func (b Bench) drawCuts(c *canvas, f figureDrawing) {
	if !(b.Length > 0) {
		return
	}
	var at func(t, share float64) point
	switch f := f.(type) {
	case *sketch:
		begin := f.fleshFrom()
		at = func(t, share float64) point { return f.inBody(begin+(1-begin)*t, share) }
	case *fillet:
		at = func(t, share float64) point { return f.place(t, 0.5-share/2) }
	default:
		return
	}
	y := 396.0
	a, z := at(0, 0).x, at(1, 0).x
	c.add(`<path class="board-ruler" d="M%v %vH%v"/>`, a, y, z)
	for mm := 0.0; mm <= b.Length; mm += 10 {
		x, tick := a+(z-a)*mm/b.Length, 8.0
		if math.Mod(mm, 50) == 0 {
			tick = 14
			c.add(`<text class="board-cm" x="%v" y="%v" text-anchor="middle">%v</text>`, x, y+32, mm/10)
		}
		c.add(`<path class="board-ruler" d="M%v %vv%v"/>`, x, y, tick)
	}
	for i, cut := range b.Cuts {
		from, to := at(cut.FromMM/b.Length, 1.12), at(cut.FromMM/b.Length, -1.12)
		if i > 0 {
			c.add(`<path class="cut-line" d="M%v %vL%v %vV%v"/>`, from.x, from.y, to.x, to.y, y)
			c.add(`<text class="cut-cm" x="%v" y="%v" text-anchor="middle">%v</text>`, from.x, from.y-6, fmt.Sprintf("%.1f", cut.FromMM/10))
		}
		mid := at((cut.FromMM+cut.ToMM)/2/b.Length, 0)
		class := "cut-gram"
		if cut.Rest {
			class += " cut-rest"
		}
		c.add(`<text class="%v" x="%v" y="%v" text-anchor="middle">%v</text>`, class, mid.x, mid.y+8, cut.Text)
	}
}

// drawSteps numbers the steps of a card where they are done; those of one place stand beside each other.
func (b Bench) drawSteps(c *canvas, regions map[string][]region) {
	there := map[point]int{}
	for i, part := range b.Steps {
		at := point{640, 330} // what has no place on the fish
		switch list := regions[part]; {
		case len(list) > 0:
			at = list[0].label
		case part == "frame":
			at = point{560, 205}
		case len(regions[b.Main]) > 0:
			at = regions[b.Main][0].label
		}
		x := at.x + 46*float64(there[at])
		there[at]++
		c.add(`<circle class="step-dot" cx="%v" cy="%v" r="20"/><text class="step-n" x="%v" y="%v" text-anchor="middle">%v</text>`,
			x, at.y-8, x, at.y, i+1)
	}
}

// isFlesh reports whether a form is drawn as a fillet is: flesh on a tray.
func isFlesh(form string) bool {
	p, ok := cutting.GetPart(form)
	return ok && p.Slab && form != "wing" && form != "butterfly"
}
