package drawing

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"

	"leancatch/internal/core/freshness"
)

// The fish lies in a drawing of fishW × fishH with its head to the left.
const (
	fishW = 1000.0
	fishH = 400.0
)

// figure is the build of a kind of fish: profiles are half depths along the
// body (x from 0 at the snout to 1 at the root of the tail), in the same unit
// as its length.
type figure struct {
	length       float64
	upper, lower []point // half depth above and below the axis
	eye          point   // x along the body, y above the axis; r below
	eyeR         float64
	gill         float64 // x of the hind edge of the gill cover
	mouth        float64 // length of the mouth
	dorsal       []fin
	ventral      []fin
	fork         float64 // how deep the tail is cut, 0 to 1
	tailSpan     float64
	back         string // colours of the back, the flank and the belly
	flank        string
	belly        string
	spots        int
	barbel       bool
	adipose      bool
}

// fin stands on the back or under the belly from x0 to x1 of the body.
type fin struct{ x0, x1, height, lean float64 }

// figures by the catalogue's name; "cod" stands in for one that is not drawn yet.
var figures = map[string]figure{
	"cod": {length: 770, eye: point{0.115, 30}, eyeR: 23, gill: 0.255, mouth: 0.085,
		upper:  []point{{0, 4}, {0.03, 26}, {0.09, 50}, {0.17, 70}, {0.28, 88}, {0.40, 90}, {0.55, 76}, {0.72, 48}, {0.87, 25}, {0.95, 19}, {1, 21}},
		lower:  []point{{0, 8}, {0.03, 22}, {0.09, 42}, {0.17, 62}, {0.28, 84}, {0.40, 88}, {0.52, 68}, {0.68, 42}, {0.85, 23}, {0.95, 18}, {1, 21}},
		dorsal: []fin{{0.27, 0.43, 66, 0.03}, {0.46, 0.66, 48, 0.04}, {0.69, 0.87, 38, 0.04}}, ventral: []fin{{0.48, 0.65, 42, 0.04}, {0.68, 0.86, 34, 0.04}},
		fork: 0.12, tailSpan: 84, back: "#6b6a45", flank: "#a9a57c", belly: "#f1eee2", spots: 46, barbel: true},
	"bream": {length: 690, eye: point{0.15, 46}, eyeR: 29, gill: 0.30, mouth: 0.06,
		upper:  []point{{0, 2}, {0.03, 34}, {0.09, 78}, {0.18, 118}, {0.30, 140}, {0.43, 138}, {0.60, 108}, {0.76, 62}, {0.90, 28}, {1, 27}},
		lower:  []point{{0, 10}, {0.03, 28}, {0.10, 62}, {0.20, 92}, {0.32, 112}, {0.46, 112}, {0.62, 86}, {0.78, 50}, {0.90, 27}, {1, 27}},
		dorsal: []fin{{0.27, 0.84, 52, 0.02}}, ventral: []fin{{0.60, 0.83, 36, 0.03}},
		fork: 0.55, tailSpan: 104, back: "#5d6d78", flank: "#b9c4c9", belly: "#f6f7f5"},
	"bass": {length: 750, eye: point{0.125, 34}, eyeR: 23, gill: 0.27, mouth: 0.085,
		upper:  []point{{0, 3}, {0.03, 27}, {0.10, 56}, {0.20, 84}, {0.32, 98}, {0.46, 94}, {0.62, 74}, {0.78, 46}, {0.91, 27}, {1, 27}},
		lower:  []point{{0, 10}, {0.03, 25}, {0.10, 50}, {0.20, 72}, {0.33, 86}, {0.47, 84}, {0.62, 64}, {0.78, 42}, {0.91, 26}, {1, 27}},
		dorsal: []fin{{0.31, 0.52, 62, 0.02}, {0.55, 0.77, 46, 0.03}}, ventral: []fin{{0.62, 0.77, 40, 0.03}},
		fork: 0.4, tailSpan: 98, back: "#566773", flank: "#aebbc1", belly: "#f4f5f2"},
	"salmon": {length: 770, eye: point{0.105, 24}, eyeR: 17, gill: 0.235, mouth: 0.095,
		upper:  []point{{0, 3}, {0.03, 22}, {0.10, 46}, {0.20, 70}, {0.33, 86}, {0.48, 86}, {0.64, 68}, {0.80, 40}, {0.92, 25}, {1, 29}},
		lower:  []point{{0, 9}, {0.03, 22}, {0.10, 44}, {0.20, 66}, {0.33, 84}, {0.47, 86}, {0.62, 66}, {0.79, 38}, {0.92, 24}, {1, 29}},
		dorsal: []fin{{0.44, 0.58, 54, 0.04}}, ventral: []fin{{0.70, 0.82, 42, 0.04}},
		fork: 0.3, tailSpan: 98, back: "#4a6271", flank: "#b4c2c6", belly: "#f7f7f4", spots: 26, adipose: true},
	"herring": {length: 770, eye: point{0.10, 16}, eyeR: 21, gill: 0.225, mouth: 0.06,
		upper:  []point{{0, 2}, {0.03, 18}, {0.10, 38}, {0.22, 58}, {0.38, 68}, {0.54, 62}, {0.72, 42}, {0.88, 20}, {1, 15}},
		lower:  []point{{0, 10}, {0.03, 22}, {0.10, 42}, {0.22, 62}, {0.38, 76}, {0.54, 70}, {0.70, 46}, {0.88, 21}, {1, 15}},
		dorsal: []fin{{0.47, 0.61, 46, 0.05}}, ventral: []fin{{0.74, 0.87, 22, 0.03}},
		fork: 0.75, tailSpan: 92, back: "#2f5563", flank: "#a9bcc2", belly: "#f8f8f5"},
	"tuna": {length: 760, eye: point{0.105, 24}, eyeR: 19, gill: 0.25, mouth: 0.075,
		upper:  []point{{0, 2}, {0.04, 30}, {0.12, 66}, {0.24, 98}, {0.38, 108}, {0.52, 96}, {0.68, 64}, {0.84, 28}, {0.95, 12}, {1, 12}},
		lower:  []point{{0, 8}, {0.04, 28}, {0.12, 62}, {0.24, 94}, {0.38, 104}, {0.52, 92}, {0.68, 60}, {0.84, 26}, {0.95, 12}, {1, 12}},
		dorsal: []fin{{0.33, 0.50, 52, 0.03}, {0.53, 0.62, 58, 0.07}}, ventral: []fin{{0.57, 0.66, 56, 0.07}},
		fork: 0.85, tailSpan: 138, back: "#27404f", flank: "#9fb0b8", belly: "#f3f5f4"},
}

// Fish draws a whole fish with the signs chosen on it. Signs that are not
// chosen are drawn fresh. The zone named by current is marked, those in done
// are ticked off.
func Fish(name string, signs freshness.Signs, current string, done []string, gillsOut bool) template.HTML {
	f := newSketch(name, signs, gillsOut)
	c := &f.canvas
	c.add(`<svg class="fish" viewBox="20 14 960 356" role="group" aria-label="%v">`, f.describe())
	f.draw()
	for _, z := range f.zones() {
		class := "zone"
		if z.id == current {
			class += " zone-now"
		}
		if slices.Contains(done, z.id) {
			class += " zone-done"
		}
		c.add(`<a href="#zone-%v" data-zone="%v" class="%v" aria-label="%v"><ellipse cx="%v" cy="%v" rx="%v" ry="%v"/>`, z.id, z.id, class, z.name, z.at.x, z.at.y, z.rx, z.ry)
		if slices.Contains(done, z.id) {
			c.add(`<path class="zone-tick" d="M%v %vl6 7l12-14"/>`, z.at.x+z.rx*0.6, z.at.y-z.ry*0.7)
		}
		c.add(`</a>`)
	}
	c.add(`</svg>`)
	return c.html()
}

// Vignette draws the part of the fish where a sign shows, at one level.
func Vignette(name, sign, zone string, level int) template.HTML {
	f := newSketch(name, freshness.Signs{sign: level}, false)
	c := &f.canvas
	x, y, w := 0.0, 0.0, fishW
	for _, z := range f.zones() {
		if z.id == zone {
			w = max(z.rx*2.6, z.ry*3.6)
			x, y = z.at.x-w/2, z.at.y-w*0.3
		}
	}
	switch sign {
	case "stiffness":
		x, y, w = 130, -40, 860
	case "smell":
		w = 330
		x, y = f.at(0.56, 0).x-w/2, f.at(0.56, -60).y-w*0.35
	}
	c.add(`<svg viewBox="%v %v %v %v" aria-hidden="true">`, x, y, w, w*0.6)
	f.draw()
	c.add(`</svg>`)
	return c.html()
}

// zone is a part of the fish that can be touched.
type zone struct {
	id, name string
	at       point
	rx, ry   float64
}

// sketch is one fish being drawn.
type sketch struct {
	canvas
	figure
	id       string // distinguishes its gradients and clips from those of other fish on a page
	signs    freshness.Signs
	gillsOut bool
	nose     point
}

func newSketch(name string, signs freshness.Signs, gillsOut bool) *sketch {
	fig, ok := figures[name]
	if !ok {
		fig = figures["cod"]
	}
	f := &sketch{figure: fig, signs: signs, gillsOut: gillsOut, nose: point{70, 190}}
	f.id = fmt.Sprintf("%v-%d%d%d", name, f.level("skin"), f.level("stiffness"), f.level("belly"))
	return f
}

func (f *sketch) level(sign string) int { return f.signs[sign] }

// at places a point of the body: x along it, y above its axis. A soft fish
// hangs at the tail.
func (f *sketch) at(x, y float64) point {
	droop := []float64{0, 0, 26, 92}[min(f.level("stiffness"), 3)]
	sag := 0.0
	if f.level("stiffness") == 0 {
		sag = -12
	}
	return point{f.nose.x + x*f.length, f.nose.y - y + (droop+sag)*x*x}
}

// depth is the half depth of the body at x: a cubic Hermite spline through the
// profile, its slopes those between the neighbours.
func (f *sketch) depth(profile []point, x float64) float64 {
	slope := func(i int) float64 {
		a, b := profile[max(i-1, 0)], profile[min(i+1, len(profile)-1)]
		return (b.y - a.y) / (b.x - a.x)
	}
	for i := 1; i < len(profile); i++ {
		if a, b := profile[i-1], profile[i]; x <= b.x {
			w := b.x - a.x
			t := (x - a.x) / w
			t2, t3 := t*t, t*t*t
			return (2*t3-3*t2+1)*a.y + (t3-2*t2+t)*w*slope(i-1) + (3*t2-2*t3)*b.y + (t3-t2)*w*slope(i)
		}
	}
	return profile[len(profile)-1].y
}

func (f *sketch) above(x float64) float64 { return f.depth(f.upper, x) }

func (f *sketch) below(x float64) float64 {
	sag := []float64{0, 16, 24}[min(f.level("belly"), 2)]
	return f.depth(f.lower, x) + sag*math.Exp(-math.Pow((x-0.40)/0.10, 2))
}

// edge returns points along the upper or the lower outline from x0 to x1.
func (f *sketch) edge(up bool, x0, x1 float64) []point {
	const n = 22
	var p []point
	for i := 0; i <= n; i++ {
		x := x0 + (x1-x0)*float64(i)/n
		if up {
			p = append(p, f.at(x, f.above(x)))
		} else {
			p = append(p, f.at(x, -f.below(x)))
		}
	}
	return p
}

func (f *sketch) outline() string {
	up, low := f.edge(true, 0, 1), f.edge(false, 1, 0)
	return move(up[0]) + smooth(up) + line(low[0]) + smooth(low) + "Z"
}

func (f *sketch) draw() {
	dull := float64(f.level("skin")) / 2
	back, flank, belly := mix(f.back, "#8b8a80", 0.75*dull), mix(f.flank, "#b3b0a2", 0.85*dull), mix(f.belly, "#ddd6c0", 0.9*dull)
	f.add(`<defs><linearGradient id="body-%v" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="%v"/><stop offset=".28" stop-color="%v"/><stop offset=".55" stop-color="%v"/><stop offset=".8" stop-color="%v"/></linearGradient>`,
		f.id, mix(back, "#000000", 0.12), back, flank, belly)
	f.add(`<clipPath id="skin-%v"><path d="%v"/></clipPath></defs>`, f.id, raw(f.outline()))
	finColour := mix(back, "#d9d2b4", 0.25)
	f.tail(finColour)
	for _, d := range f.dorsal {
		f.fin(d, true, finColour)
	}
	for _, v := range f.ventral {
		f.fin(v, false, finColour)
	}
	if f.adipose {
		f.fin(fin{0.79, 0.83, 20, 0.04}, true, finColour)
	}
	f.fin(fin{0.33, 0.39, 40, 0.06}, false, finColour) // pelvic
	if f.barbel {
		p := f.at(0.045, -f.below(0.045))
		f.add(`<path d="M%v %vq4 16 -4 24" fill="none" stroke="%v" stroke-width="3" stroke-linecap="round"/>`, p.x, p.y, back)
	}
	f.add(`<path d="%v" fill="url(#body-%v)" stroke="%v" stroke-width="2.5"/>`, f.outline(), f.id, mix(back, "#000000", 0.45))
	f.add(`<g clip-path="url(#skin-%v)">`, f.id)
	f.skin(back, dull)
	f.add(`</g>`)
	f.gills(back)
	f.head(back)
	f.pectoral(finColour)
	f.bellyTear()
	f.dent()
	f.wisps()
}

// fin draws a fin with its rays.
func (f *sketch) fin(n fin, up bool, colour string) {
	foot := func(t, rise float64) point {
		x := n.x0 + (n.x1-n.x0)*t
		lean := n.lean * rise / max(n.height, 1) * 1.2
		if up {
			return f.at(x+lean, f.above(x)-2+rise)
		}
		return f.at(x+lean, -f.below(x)+2-rise)
	}
	var top []point
	for i := 0; i <= 8; i++ {
		t := float64(i) / 8
		top = append(top, foot(t, n.height*math.Pow(math.Sin(math.Pi*math.Pow(t*0.96+0.02, 0.62)), 0.8)))
	}
	var feet []point
	for i := 8; i >= 0; i-- {
		feet = append(feet, foot(float64(i)/8, 0))
	}
	f.add(`<path d="%v" fill="%v" stroke="%v" stroke-width="2" stroke-linejoin="round"/>`,
		raw(move(feet[8])+smooth(append([]point{feet[8]}, top...))+line(feet[0])+smooth(feet)+"Z"), colour, mix(colour, "#000000", 0.4))
	var rays string
	for i := 1; i < 8; i++ {
		rays += move(foot(float64(i)/8, 0)) + line(top[i])
	}
	f.add(`<path d="%v" stroke="%v" stroke-width="1.4" opacity=".55" fill="none"/>`, rays, mix(colour, "#000000", 0.45))
}

func (f *sketch) tail(colour string) {
	root, h := f.at(0.985, 0), f.above(1)
	end, lift := root.x+122, f.at(1.15, 0).y-root.y
	lobe := func(side float64) (root2, tip point) { // side −1 above, +1 below
		return point{root.x, root.y + side*h}, point{end, root.y + lift + side*f.tailSpan}
	}
	a, top := lobe(-1)
	b, bottom := lobe(1)
	mid := point{end - 20 - 70*f.fork, root.y + lift*0.75}
	inner := func(tip point) point { // the trailing edge bends in behind the tip
		return point{mid.x + (tip.x-mid.x)*0.30, mid.y + (tip.y-mid.y)*0.62}
	}
	it, ib := inner(top), inner(bottom)
	f.add(`<path d="%vQ%v %v %v %vQ%v %v %v %vQ%v %v %v %vQ%v %v %v %vZ" fill="%v" stroke="%v" stroke-width="2.5" stroke-linejoin="round"/>`,
		raw(move(a)), root.x+34, root.y-h, top.x, top.y, it.x, it.y, mid.x, mid.y, ib.x, ib.y, bottom.x, bottom.y,
		root.x+34, root.y+h+lift*0.3, b.x, b.y, colour, mix(colour, "#000000", 0.4))
	var rays string
	for i := -4; i <= 4; i++ {
		t := float64(i) / 4.8
		reach := mid.x - 8 + (end-mid.x)*math.Pow(math.Abs(t), 1.6)*0.75
		rays += move(point{root.x + 10, root.y + t*h}) + line(point{reach, root.y + (lift+t*f.tailSpan)*(reach-root.x)/(end-root.x)})
	}
	f.add(`<path d="%v" stroke="%v" stroke-width="1.6" opacity=".5" fill="none"/>`, rays, mix(colour, "#000000", 0.45))
}

// skin draws what lies on the body: scales, spots, the lateral line, and the
// gloss of fresh slime or the milk of old.
func (f *sketch) skin(back string, dull float64) {
	var scales strings.Builder
	for row := -5; row <= 4; row++ {
		for i := range 26 {
			x := f.gill + 0.03 + float64(i)*0.027 + float64((row+5)%2)*0.0135
			if x > 0.96 {
				break
			}
			y := float64(row) * 16 * (0.35 + 0.65*f.above(x)/f.above(0.4))
			p := f.at(x, y)
			scales.WriteString(move(point{p.x, p.y - 5}) + "q7 5 0 11")
		}
	}
	f.add(`<path d="%v" stroke="%v" stroke-width="1.1" fill="none" opacity="%v"/>`, raw(scales.String()), mix(back, "#000000", 0.25), fmt.Sprintf("%.2f", 0.30-0.16*dull))
	seed := uint32(7)
	next := func() float64 { // a small generator: the same spots each time
		seed = seed*1664525 + 1013904223
		return float64(seed>>8) / (1 << 24)
	}
	for range f.spots {
		x := 0.20 + 0.68*next()
		p := f.at(x, f.above(x)*(0.15+0.75*next()))
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity=".5"/>`, p.x, p.y, 3+5*next(), 2.5+3*next(), mix(back, "#000000", 0.3))
	}
	var lateral []point
	for i := range 12 {
		x := f.gill + (0.98-f.gill)*float64(i)/11
		lateral = append(lateral, f.at(x, f.above(x)*0.30*math.Max(0, 1-1.6*(x-f.gill))))
	}
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="2.5" opacity=".65"/>`, raw(move(lateral[0])+smooth(lateral)), mix(f.belly, "#8d8a6a", 0.3+0.4*dull))
	switch f.level("skin") {
	case 0, 1:
		gloss := []float64{0.85, 0.38}[f.level("skin")]
		for i, y := range []float64{0.62, 0.38, -0.18} {
			x0, x1 := f.gill+0.05+0.05*float64(i), 0.78-0.08*float64(i)
			var p []point
			for j := range 9 {
				x := x0 + (x1-x0)*float64(j)/8
				p = append(p, f.at(x, f.above(x)*y))
			}
			f.add(`<path d="%v" fill="none" stroke="#ffffff" stroke-width="%v" stroke-linecap="round" opacity="%v"/>`, raw(move(p[0])+smooth(p)), 12.0-3*float64(i), fmt.Sprintf("%.2f", gloss*(0.5-0.12*float64(i))))
		}
		if f.level("skin") == 0 {
			p := f.edge(true, f.gill+0.05, 0.8)
			for i := range p {
				p[i].y += 17
			}
			f.add(`<path d="%v" fill="none" stroke="#7fc4cf" stroke-width="7" stroke-linecap="round" opacity=".45"/>`, raw(move(p[0])+smooth(p)))
		}
	default:
		for range 16 {
			x := 0.12 + 0.8*next()
			p := f.at(x, (f.above(x)+f.below(x))*(next()-0.45))
			f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#efe9cf" opacity=".42"/>`, p.x, p.y, 20+26*next(), 7+8*next())
		}
	}
}

// gills draws the gill cover, lifted a little, with what is under it.
func (f *sketch) gills(back string) {
	top, bottom := f.at(f.gill-0.015, f.above(f.gill)*0.55), f.at(f.gill-0.04, -f.below(f.gill)*0.72)
	bow := f.at(f.gill+0.055, -4)
	inner := f.at(f.gill+0.012, -4)
	red, mucus := "#c8283a", 0.0
	if f.level("gill_colour") == 1 {
		red = "#8a6250"
	}
	if f.level("gill_smell") >= 2 {
		mucus = 0.35 * float64(f.level("gill_smell")-1)
	}
	if f.gillsOut {
		red = "#3a2a2c"
	}
	f.add(`<path d="M%v %vQ%v %v %v %vQ%v %v %v %vZ" fill="%v" stroke="#4d1a20" stroke-width="1.5"/>`, top.x, top.y, bow.x+16, bow.y, bottom.x, bottom.y, inner.x-24, inner.y, top.x, top.y, red)
	if !f.gillsOut {
		for i := range 3 {
			o := float64(i) * 7
			f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="%v" stroke-width="2" opacity=".7"/>`, top.x+2, top.y+12+o, bow.x+12-o, bow.y, bottom.x+3, bottom.y-10-o, mix(red, "#ffd9d9", 0.35))
		}
	}
	if mucus > 0 {
		f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="#e6dcae" stroke-width="9" stroke-linecap="round" opacity="%v"/>`, top.x+4, top.y+22, bow.x+12, bow.y+4, bottom.x+8, bottom.y-18, fmt.Sprintf("%.2f", mucus+0.2))
	}
	cover := mix(back, f.flank, 0.55)
	cheek := f.at(f.eye.x+0.03, -f.below(f.eye.x)*0.5)
	f.add(`<path d="M%v %vQ%v %v %v %vQ%v %v %v %vQ%v %v %v %vZ" fill="%v" stroke="%v" stroke-width="2.2"/>`,
		top.x, top.y, inner.x+14, inner.y, bottom.x, bottom.y, (bottom.x+cheek.x)/2, bottom.y+2, cheek.x, cheek.y, cheek.x-2, top.y+16, top.x, top.y, mix(cover, "#9d9b8c", 0.3*float64(f.level("skin"))), mix(back, "#000000", 0.4))
	for i := range []int{0, 3, 6, 11}[min(f.level("blood_spots"), 3)] {
		a, r := float64(i)*2.4, 7+6*math.Sqrt(float64(i))
		p := point{(cheek.x+inner.x)/2 + r*math.Cos(a)*1.1, (top.y+bottom.y)/2 + r*math.Sin(a)*1.5}
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#9c2b2b" opacity=".72"/>`, p.x, p.y, 6+3*math.Sin(a*3), 5+2*math.Cos(a*5))
	}
}

// head draws the mouth and the eye.
func (f *sketch) head(back string) {
	corner, lip := f.at(f.mouth, -f.below(f.mouth)*0.36), f.at(0.004, -6)
	f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="%v" stroke-width="3" stroke-linecap="round"/>`, lip.x, lip.y, (lip.x+corner.x)/2, lip.y+1, corner.x, corner.y, mix(back, "#000000", 0.55))
	nostril := f.at(f.eye.x*0.52, f.eye.y*0.9)
	f.add(`<circle cx="%v" cy="%v" r="2.6" fill="%v"/>`, nostril.x, nostril.y, mix(back, "#000000", 0.6))
	e, r := f.at(f.eye.x, f.eye.y), f.eyeR
	shape, cloudy := f.level("eye_shape"), f.level("eye_clarity") == 1
	iris, pupil := "#d9b34a", "#0b0d10"
	if cloudy {
		iris, pupil = "#c9bd92", "#5c6368"
	}
	if shape == 2 { // the rim of a sunken eye throws a shadow
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="%v"/>`, e.x, e.y, r*1.14, mix(back, "#000000", 0.5))
		r *= 0.9
	}
	f.add(`<circle cx="%v" cy="%v" r="%v" fill="%v" stroke="%v" stroke-width="%v"/>`, e.x, e.y, r, iris, mix(back, "#000000", 0.6), []float64{3.2, 2, 1.2}[shape])
	f.add(`<circle cx="%v" cy="%v" r="%v" fill="%v"/>`, e.x, e.y, r*[]float64{0.62, 0.56, 0.46}[shape], pupil)
	if cloudy {
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#e9edea" opacity=".62"/>`, e.x, e.y, r*0.9)
	}
	switch shape {
	case 0: // bulging: a bright dome
		f.add(`<path d="M%v %va%v %v 0 0 1 %v %v" fill="none" stroke="#ffffff" stroke-width="3.4" stroke-linecap="round" opacity=".9"/>`, e.x-r*0.62, e.y-r*0.28, r*0.7, r*0.7, r*0.6, -r*0.42)
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#ffffff" opacity=".95"/>`, e.x-r*0.24, e.y-r*0.26, r*0.17)
	case 1:
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#ffffff" opacity=".45"/>`, e.x-r*0.22, e.y-r*0.24, r*0.12)
	case 2: // sunken: shade above, light below
		f.add(`<path d="M%v %vA%v %v 0 0 1 %v %v" fill="none" stroke="#1b1712" stroke-width="6" opacity=".55" stroke-linecap="round"/>`, e.x-r*0.85, e.y-r*0.2, r*0.9, r*0.9, e.x+r*0.85, e.y-r*0.2)
	}
}

func (f *sketch) pectoral(colour string) {
	p := f.at(f.gill+0.045, -f.below(f.gill)*0.18)
	f.add(`<path d="M%v %vq34 -22 86 4q-8 20 -50 26q-30 2 -36 -30Z" fill="%v" stroke="%v" stroke-width="2" opacity=".95"/>`, p.x, p.y, mix(colour, "#ffffff", 0.12), mix(colour, "#000000", 0.4))
	f.add(`<path d="M%v %vl66 2M%v %vl58 12M%v %vl44 20" stroke="%v" stroke-width="1.4" opacity=".5"/>`, p.x+8, p.y, p.x+8, p.y+6, p.x+10, p.y+11, mix(colour, "#000000", 0.5))
}

func (f *sketch) bellyTear() {
	if f.level("belly") < 2 {
		return
	}
	p := f.at(0.40, -f.below(0.40)+6)
	f.add(`<path d="M%v %vq22 -20 50 -16q34 4 50 20q-24 14 -54 12q-32 -2 -46 -16Z" fill="#5b2226" stroke="#3a1416" stroke-width="2"/>`, p.x-50, p.y-2)
	f.add(`<path d="M%v %vq10 18 -6 30q-14 12 2 24" fill="none" stroke="#a8736b" stroke-width="11" stroke-linecap="round"/><path d="M%v %vq12 12 4 26" fill="none" stroke="#8b6b4d" stroke-width="9" stroke-linecap="round"/>`, p.x-8, p.y, p.x+18, p.y)
}

// dent draws what the finger leaves on the flank.
func (f *sketch) dent() {
	level := f.level("stiffness")
	if _, chosen := f.signs["stiffness"]; !chosen || level == 0 {
		return
	}
	p := f.at(0.52, 18)
	r := []float64{0, 9, 17, 24}[min(level, 3)]
	f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#1d1a12" opacity="%v"/>`, p.x, p.y, r, r*0.66, fmt.Sprintf("%.2f", 0.12+0.11*float64(level)))
	f.add(`<path d="M%v %va%v %v 0 0 0 %v 0" fill="none" stroke="#ffffff" stroke-width="3" opacity=".7" stroke-linecap="round"/>`, p.x-r, p.y+2, r, r*0.7, 2*r)
}

// wisps draw smells: blue for the sea, nothing for neutral, brown for worse.
func (f *sketch) wisps() {
	draw := func(sign string, at point) {
		level, chosen := f.signs[sign]
		if !chosen || level == 1 {
			return
		}
		colour, n := "#0f6e78", 2
		if level >= 2 {
			colour, n = []string{"#8a7a2c", "#7a4a24"}[min(level-2, 1)], level+1
		}
		for i := range n {
			x := at.x + float64(i)*22 - float64(n-1)*11
			f.add(`<path d="M%v %vq12 14 0 28t0 28" fill="none" stroke="%v" stroke-width="5" stroke-linecap="round" opacity=".75"/>`, x, at.y, colour)
		}
	}
	draw("smell", f.at(0.56, -f.below(0.56)-8))
	draw("gill_smell", f.at(f.gill-0.03, -f.below(f.gill)-2))
}

// zones lists the parts that can be touched, big ones first so that small ones
// lie on top.
func (f *sketch) zones() []zone {
	vent := f.at(0.56, -f.below(0.56)-24)
	return []zone{
		{"skin", "Skin", f.at(0.62, f.above(0.62)*0.42), 190, f.above(0.62)*0.42 + 8},
		{"flesh", "Flesh, press", f.at(0.52, 6), 46, 40},
		{"belly", "Belly", f.at(0.385, -f.below(0.385)*0.62), 84, 40},
		{"cover", "Gill cover", f.at(f.gill-0.065, -8), 34, 46},
		{"gills", "Gills", f.at(f.gill+0.018, -6), 30, 58},
		{"eye", "Eye", f.at(f.eye.x, f.eye.y), f.eyeR * 1.7, f.eyeR * 1.7},
		{"smell", "Smell", vent, 56, 38},
	}
}

func (f *sketch) describe() string {
	text := "Fish"
	for _, s := range []string{"eye_clarity", "eye_shape", "gill_colour", "skin", "belly", "stiffness"} {
		if f.level(s) > 0 {
			text += fmt.Sprintf(", %v %d", s, f.level(s))
		}
	}
	return text
}

// mix blends a colour of the form #rrggbb towards another by the share t.
func mix(a, b string, t float64) string {
	x, _ := strconv.ParseUint(a[1:], 16, 32)
	y, _ := strconv.ParseUint(b[1:], 16, 32)
	var out uint64
	for shift := 16; shift >= 0; shift -= 8 {
		from, to := float64(x>>shift&255), float64(y>>shift&255)
		out = out<<8 | uint64(math.Round(from+(to-from)*t))
	}
	text := strconv.FormatUint(out|1<<24, 16)
	return "#" + text[1:]
}
