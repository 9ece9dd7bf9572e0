package drawing

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"leancatch/internal/core/freshness"
)

// newBody begins the drawing of a fish that still has its shape.
func newBody(subject Subject, look freshness.Features) *sketch {
	f := &sketch{figure: figureOf(subject.Figure), look: look, form: subject.Form, zoom: 1, nose: point{70, 196}}
	if f.belly0 == 0 {
		f.belly0 = 0.40
	}
	if f.disc {
		f.nose.x = 90
	}
	f.nose.x += f.bill * f.length
	if top := f.top(); top > mostRise {
		f.zoom = mostRise / top
	}
	f.headless = subject.Form == "headed_gutted" || subject.Form == "tail"
	if f.headless {
		f.x0 = f.gill + 0.03
		f.zoom *= min(1.45, 0.86/(1-f.x0))
		f.nose.x += 40 - f.x0*f.length*f.zoom
	}
	f.id = fmt.Sprintf("%v-%.0f%.0f%.0f", subject.Figure, 10*look["dull"], 10*look["droop"]-5*look["rigor"],
		10*look["belly_sag"])
	return f
}

// mostRise is how far a fish may rise over its axis within the picture.
const mostRise = 170.0

// top is how far the fish rises over its axis, fins and all.
func (f *sketch) top() float64 {
	top := 0.0
	for _, p := range f.upper {
		top = max(top, p.y)
	}
	for _, d := range f.dorsal {
		top = max(top, f.above((d.x0+d.x1)/2)+d.height, f.above(d.x0+0.3*(d.x1-d.x0))+d.height)
	}
	return top
}

// sketch is one fish being drawn.
type sketch struct {
	*canvas
	figure
	id       string // distinguishes its gradients and clips from those of other fish on a page
	look     freshness.Features
	form     string
	headless bool
	x0       float64 // where the body begins: 0, or the cut behind the head
	zoom     float64 // what is left of a fish without its head is drawn larger
	nose     point
}

func (f *sketch) name() string { return "Fish" }

func (f *sketch) gillsOut() bool { return f.form == "gutted_gills_out" }

func (f *sketch) gutted() bool { return f.form != "whole" }

// at places a point of the body: x along it, y above its axis. A soft fish
// hangs at the tail.
func (f *sketch) at(x, y float64) point {
	bend := 92*f.look["droop"] - 12*f.look["rigor"]
	return point{f.nose.x + x*f.length*f.zoom, f.nose.y - y*f.zoom + bend*x*x}
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
	sag := 24 * f.look["belly_sag"]
	return f.depth(f.lower, x) + sag*math.Exp(-math.Pow((x-f.belly0)/0.10, 2))
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
	up, low := f.edge(true, f.x0, 1), f.edge(false, 1, f.x0)
	return move(up[0]) + smooth(up) + line(low[0]) + smooth(low) + "Z"
}

func (f *sketch) draw(c *canvas) {
	f.canvas = c
	dull := f.look["dull"]
	back, flank, belly := mix(f.back, "#8b8a80", 0.75*dull), mix(f.flank, "#b3b0a2", 0.85*dull),
		mix(f.belly, "#ddd6c0", 0.9*dull)
	f.add(`<defs><linearGradient id="body-%v" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="%v"/><stop `+
		`offset=".28" stop-color="%v"/><stop offset=".55" stop-color="%v"/><stop offset=".8" `+
		`stop-color="%v"/></linearGradient>`,
		f.id, mix(back, "#000000", 0.12), back, flank, belly)
	f.add(`<clipPath id="skin-%v"><path d="%v"/></clipPath></defs>`, f.id, raw(f.outline()))
	finColour := mix(back, "#d9d2b4", 0.25)
	if f.figure.fins != "" {
		finColour = f.figure.fins
	}
	finColour = mix(finColour, "#8a6a3c", 0.6*f.look["fin_dry"])
	if f.disc {
		f.whip(finColour)
	} else if f.look["no_tail"] == 0 {
		f.tail(finColour)
	}
	if f.look["no_fins"] == 0 {
		f.fins(finColour)
	}
	if f.barbel && !f.headless {
		p := f.at(0.045, -f.below(0.045))
		f.add(`<path d="M%v %vq4 16 -4 24" fill="none" stroke="%v" stroke-width="3" stroke-linecap="round"/>`, p.x,
			p.y, back)
	}
	f.add(`<path d="%v" fill="url(#body-%v)" stroke="%v" stroke-width="2.5"/>`, f.outline(), f.id,
		mix(back, "#000000", 0.45))
	f.add(`<g clip-path="url(#skin-%v)">`, f.id)
	for _, m := range f.marks {
		m.draw(f)
	}
	f.skin(back)
	f.add(`</g>`)
	if f.gutted() {
		f.slit()
	}
	switch {
	case f.headless:
		f.cutEnd()
	case f.disc:
		f.discHead(back)
	default:
		f.gills(back)
		f.head(back)
		if f.look["no_fins"] == 0 {
			f.pectoral(finColour)
		}
	}
	f.redPatches()
	f.bellyTear()
	f.dent()
	f.looseScales()
	f.wisps()
}

// fins draws all fins but the pectoral ones and the tail.
func (f *sketch) fins(finColour string) {
	for _, d := range f.dorsal {
		if d.x0 >= f.x0 || f.x0 < 0.1 {
			f.fin(d, true, finColour)
		} else if d.x1 > f.x0+0.06 {
			f.fin(fin{f.x0 + 0.02, d.x1, d.height, d.lean}, true, finColour)
		}
	}
	for _, v := range f.ventral {
		f.fin(v, false, finColour)
	}
	f.drawFinlets(finColour)
	if f.adipose {
		f.fin(fin{0.79, 0.83, 20, 0.04}, true, finColour)
	}
	if !f.disc && !f.headless && f.eye2 == nil {
		f.fin(fin{0.33, 0.39, 40, 0.06}, false, finColour) // pelvic
	}
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
		rise := n.height * math.Pow(math.Sin(math.Pi*math.Pow(t*0.96+0.02, 0.62)), 0.8)
		if i%2 == 1 { // a dry edge frays
			rise *= 1 - 0.45*f.look["fin_dry"]
		}
		top = append(top, foot(t, rise))
	}
	var feet []point
	for i := 8; i >= 0; i-- {
		feet = append(feet, foot(float64(i)/8, 0))
	}
	f.add(`<path d="%v" fill="%v" stroke="%v" stroke-width="2" stroke-linejoin="round"/>`,
		raw(move(feet[8])+smooth(append([]point{feet[8]}, top...))+line(feet[0])+smooth(feet)+"Z"), colour,
		mix(colour, "#000000", 0.4))
	var rays string
	for i := 1; i < 8; i++ {
		rays += move(foot(float64(i)/8, 0)) + line(top[i])
	}
	f.add(`<path d="%v" stroke="%v" stroke-width="1.4" opacity=".55" fill="none"/>`, rays, mix(colour, "#000000", 0.45))
	if f.look["fin_tear"] > 0 {
		for _, i := range []int{3, 5} {
			a, b := foot(float64(i)/8+0.03, 2), top[i]
			f.add(`<path class="paper" d="M%v %vL%v %vL%v %vZ"/>`, b.x-7, b.y-8, a.x, a.y, b.x+8, b.y-5)
		}
	}
}

func (f *sketch) tail(colour string) {
	root, h := f.at(0.985, 0), f.above(1)*f.zoom
	end, lift := root.x+122, f.at(1.15, 0).y-root.y
	lobe := func(side float64) (root2, tip point) { // side −1 above, +1 below
		return point{root.x, root.y + side*h}, point{end, root.y + lift + side*f.tailSpan}
	}
	a, top := lobe(-1)
	b, bottom := lobe(1)
	mid := point{end + 12 - 95*f.fork, root.y + lift*0.75}
	inner := func(tip point) point { // the trailing edge bends in behind the tip
		return point{mid.x + (tip.x-mid.x)*0.30, mid.y + (tip.y-mid.y)*0.62}
	}
	it, ib := inner(top), inner(bottom)
	f.add(`<path d="%vQ%v %v %v %vQ%v %v %v %vQ%v %v %v %vQ%v %v %v %vZ" fill="%v" stroke="%v" stroke-width="2.5" `+
		`stroke-linejoin="round"/>`,
		raw(move(a)), root.x+34, root.y-h, top.x, top.y, it.x, it.y, mid.x, mid.y, ib.x, ib.y, bottom.x, bottom.y,
		root.x+34, root.y+h+lift*0.3, b.x, b.y, colour, mix(colour, "#000000", 0.4))
	var rays string
	for i := -4; i <= 4; i++ {
		t := float64(i) / 5.4
		reach := mid.x - 8 + (end-mid.x)*math.Pow(math.Abs(t), 1.6)*0.75
		rays += move(point{root.x + 10, root.y + t*h}) +
			line(point{reach, root.y + (lift+t*f.tailSpan*f.zoom)*(reach-root.x)/(end-root.x)})
	}
	f.add(`<path d="%v" stroke="%v" stroke-width="1.6" opacity=".5" fill="none"/>`, rays, mix(colour, "#000000", 0.45))
	if dry := f.look["fin_dry"]; dry > 0 {
		f.add(`<path d="M%v %vL%v %vL%v %v" fill="none" stroke="#5f431f" stroke-width="%v" stroke-dasharray="7 5" `+
			`opacity=".8"/>`, top.x, top.y, mid.x, mid.y, bottom.x, bottom.y, 3+6*dry)
	}
	if f.look["fin_tear"] > 0 {
		f.add(`<path class="paper" d="M%v %vL%v %vL%v %vZ"/>`, (it.x+top.x)/2+8, (it.y+top.y)/2-10, root.x+54,
			(root.y+top.y)/2, (it.x+top.x)/2+4, (it.y+top.y)/2+16)
	}
}

// whip is the thin tail of a ray, with its thorns.
func (f *sketch) whip(colour string) {
	a, b := f.at(0.97, 0), f.at(1.55, 0)
	f.add(`<path d="M%v %vQ%v %v %v %vL%v %vQ%v %v %v %vZ" fill="%v" stroke="%v" stroke-width="2"/>`, a.x, a.y-13,
		(a.x+b.x)/2, a.y-8, b.x, b.y+6, b.x, b.y+8, (a.x+b.x)/2, a.y+10, a.x, a.y+13, colour,
		mix(colour, "#000000", 0.4))
	for i := range 7 {
		p := f.at(1.0+0.07*float64(i), 0)
		f.add(`<path d="M%v %vl5 -8l4 8Z" fill="%v"/>`, p.x, p.y-8, mix(colour, "#ffffff", 0.5))
	}
}

// discHead draws what a ray shows from above: eyes, spiracles and the line of
// thorns; its wings' edges dry.
func (f *sketch) discHead(back string) {
	for _, eye := range []point{f.eye, *f.eye2} {
		f.drawEye(eye, back)
		p := f.at(eye.x+0.045, eye.y*1.1)
		f.add(`<ellipse cx="%v" cy="%v" rx="9" ry="5" fill="%v"/>`, p.x, p.y, mix(back, "#000000", 0.6))
	}
	for i := range 12 {
		p := f.at(0.34+0.05*float64(i), 0)
		f.add(`<path d="M%v %vl6 -7l4 7Z" fill="%v"/>`, p.x, p.y+3, mix(back, "#ffffff", 0.45))
	}
	if dry := f.look["fin_dry"]; dry > 0 {
		for _, up := range []bool{true, false} {
			p := f.edge(up, 0.24, 0.82)
			f.add(`<path d="%v" fill="none" stroke="#6b4a22" stroke-width="%v" stroke-dasharray="9 6" opacity=".85"/>`,
				raw(move(p[0])+smooth(p)), 4+9*dry)
		}
	}
}

// slit draws the opened belly with its lining.
func (f *sketch) slit() {
	from, to := max(f.x0+0.02, f.gill+0.02), min(f.belly0+0.17, 0.62)
	if f.disc { // opened from below; the edge of the cut shows
		from, to = 0.36, 0.62
	}
	var top, low []point
	const n = 8
	loose := f.look["lining"]
	for i := 0; i <= n; i++ {
		t := float64(i) / n
		x := from + (to-from)*t
		gape := 26 * math.Sin(math.Pi*t)
		top = append(top, f.at(x, -f.below(x)+5+gape))
		low = append(low, f.at(x, -f.below(x)+2))
	}
	slices.Reverse(low)
	lining := mix("#e9e4df", "#8f8574", 0.85*loose)
	f.add(`<path d="%v" fill="%v" stroke="#6d2a2a" stroke-width="2"/>`,
		raw(move(top[0])+smooth(top)+line(low[0])+smooth(low)+"Z"), lining)
	blood := mix("#b3202c", "#5a3a26", math.Max(loose, f.look["vessels"]))
	mid := top[2 : len(top)-1]
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" opacity=".85" transform="translate(0 7)"/>`,
		raw(move(mid[0])+smooth(mid)), blood, 3+5*f.look["vessels"])
	if loose >= 0.3 { // the lining comes off in shreds
		for i := range int(1 + 4*loose) {
			p := top[2+i]
			f.add(`<path d="M%v %vq8 12 2 22q10 -2 12 -16Z" fill="%v" stroke="#6e6552" stroke-width="1.2"/>`, p.x,
				p.y+4, mix(lining, "#ffffff", 0.25))
		}
	}
}

// cutEnd draws the face behind a head that is off: flesh, backbone, cavity.
func (f *sketch) cutEnd() {
	top, bottom := f.at(f.x0, f.above(f.x0)), f.at(f.x0, -f.below(f.x0))
	h := (bottom.y - top.y) / 2
	mid := point{top.x, (top.y + bottom.y) / 2}
	flesh := mix(mix(f.flesh, "#b9ab94", 0.7*f.look["haze"]), "#8a6b4a", 0.4*f.look["dark"])
	f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" stroke="%v" stroke-width="2.5"/>`, mid.x, mid.y, h*0.42,
		h, flesh, mix(f.back, "#000000", 0.4))
	for _, r := range []float64{0.78, 0.55} {
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="none" stroke="%v" stroke-width="1.6" opacity=".6"/>`,
			mid.x, mid.y, h*0.42*r, h*r, mix(flesh, "#8a5a4a", 0.45))
	}
	f.add(`<circle cx="%v" cy="%v" r="%v" fill="#f5efe6" stroke="#9a8f80" stroke-width="2"/><circle cx="%v" cy="%v" `+
		`r="4" fill="#b3202c"/>`, mid.x, mid.y-h*0.05, h*0.13, mid.x, mid.y-h*0.05)
	v := f.look["vessels"]
	vessel := mix("#c01f2d", "#6a4326", v)
	for i := range 3 {
		y := mid.y + h*(0.35+0.16*float64(i))
		f.add(`<path d="M%v %vq12 4 22 -2" fill="none" stroke="%v" stroke-width="%v" stroke-linecap="round" `+
			`opacity="%v"/>`, mid.x-10, y, vessel, 3+9*v, fmt.Sprintf("%.2f", 0.95-0.4*v))
	}
	if f.look["dry"] > 0 || f.look["dark"] > 0 {
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="none" stroke="#6b4a2a" stroke-width="7" opacity=".6"/>`,
			mid.x, mid.y, h*0.38, h*0.93)
	}
}

// redPatches draws the reddened belly of a ray or a shark.
func (f *sketch) redPatches() {
	red := f.look["belly_red"]
	for i := range int(10 * red) {
		x := f.belly0 - 0.16 + 0.035*float64(i)
		p := f.at(x, -f.below(x)*(0.55+0.3*math.Sin(float64(i)*2.3)))
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity=".6"/>`, p.x, p.y, 9+6*red, 6+5*red,
			mix("#b5303a", "#a99a2e", 0.5*math.Max(0, red-0.7)))
	}
}

// looseScales draws scales that have come off, and the bare skin they left.
func (f *sketch) looseScales() {
	loss := f.look["scale_loss"]
	if loss == 0 {
		return
	}
	for i := range int(3 + 9*loss) {
		x := max(f.x0, f.gill) + 0.07 + math.Mod(float64(i)*0.137, 0.52)
		p := f.at(x, f.above(x)*(0.62-math.Mod(float64(i)*0.43, 1.1)))
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity=".85"/>`, p.x, p.y, 15+7*loss, 9+4*loss,
			mix(f.flank, "#e9cfc4", 0.65))
		fallen := f.at(x, -f.below(x)-16-math.Mod(float64(i)*7.3, 18))
		f.add(`<path d="M%v %vq7 -7 12 1q-5 7 -12 -1Z" fill="%v" stroke="%v" stroke-width="1"/>`, fallen.x, fallen.y,
			mix(f.flank, "#ffffff", 0.4), mix(f.back, "#000000", 0.2))
	}
}

// skin draws what lies on the body: scales, spots, the lateral line, and the
// gloss of fresh slime or the milk of old.
func (f *sketch) skin(back string) {
	dull := f.look["dull"]
	var scales strings.Builder
	rows := 5
	if f.look["no_scales"] > 0 {
		rows = 0
	}
	for row := -rows; row < rows; row++ {
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
	f.add(`<path d="%v" stroke="%v" stroke-width="1.1" fill="none" opacity="%v"/>`, raw(scales.String()),
		mix(back, "#000000", 0.25), fmt.Sprintf("%.2f", 0.30-0.16*dull))
	seed := uint32(7)
	next := func() float64 { // a small generator: the same spots each time
		seed = seed*1664525 + 1013904223
		return float64(seed>>8) / (1 << 24)
	}
	for range f.spots {
		x := 0.20 + 0.68*next()
		p := f.at(x, f.above(x)*(0.15+0.75*next()))
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity=".5"/>`, p.x, p.y, 3+5*next(), 2.5+3*next(),
			mix(back, "#000000", 0.3))
	}
	var lateral []point
	for i := range 12 {
		x := f.gill + (0.98-f.gill)*float64(i)/11
		lateral = append(lateral, f.at(x, f.above(x)*0.30*math.Max(0, 1-1.6*(x-f.gill))))
	}
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="2.5" opacity=".65"/>`,
		raw(move(lateral[0])+smooth(lateral)), mix(f.belly, "#8d8a6a", 0.3+0.4*dull))
	if gloss := 0.85 * (1 - 1.1*dull); gloss > 0 {
		for i, y := range []float64{0.62, 0.38, -0.18} {
			x0, x1 := max(f.x0+0.06, f.gill+0.05+0.05*float64(i)), 0.78-0.08*float64(i)
			var p []point
			for j := range 9 {
				x := x0 + (x1-x0)*float64(j)/8
				p = append(p, f.at(x, f.above(x)*y))
			}
			f.add(`<path d="%v" fill="none" stroke="#ffffff" stroke-width="%v" stroke-linecap="round" opacity="%v"/>`,
				raw(move(p[0])+smooth(p)), 12.0-3*float64(i), fmt.Sprintf("%.2f", gloss*(0.5-0.12*float64(i))))
		}
	}
	if dull < 0.3 {
		p := f.edge(true, max(f.x0+0.05, f.gill+0.05), 0.8)
		for i := range p {
			p[i].y += 17
		}
		f.add(`<path d="%v" fill="none" stroke="#7fc4cf" stroke-width="7" stroke-linecap="round" opacity=".45"/>`,
			raw(move(p[0])+smooth(p)))
	}
	slime := f.look["slime"]
	milk := mix("#f3f1e4", "#b9a767", math.Max(0, 2*slime-1))
	for range int(26 * slime) {
		x := f.x0 + 0.12 + (0.82-f.x0)*next()
		p := f.at(x, (f.above(x)+f.below(x))*(next()-0.45))
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity="%v"/>`, p.x, p.y, 18+30*next(), 7+9*next(),
			milk, fmt.Sprintf("%.2f", 0.3+0.3*slime))
	}
	if slime > 0.6 { // it hangs in threads
		for i := range 4 {
			x := f.x0 + 0.2 + 0.16*float64(i)
			p := f.at(x, -f.below(x)+2)
			f.add(`<path d="M%v %vq3 14 -2 26" fill="none" stroke="%v" stroke-width="7" stroke-linecap="round" `+
				`opacity=".8"/>`, p.x, p.y, milk)
		}
	}
}

// gills draws the gill cover, lifted a little, with what is under it.
func (f *sketch) gills(back string) {
	top, bottom := f.at(f.gill-0.015, f.above(f.gill)*0.55), f.at(f.gill-0.04, -f.below(f.gill)*0.72)
	bow := f.at(f.gill+0.055, -4)
	inner := f.at(f.gill+0.012, -4)
	red, mucus := mix(mix("#c8283a", "#85604c", f.look["gill_brown"]), "#e6c9b4", f.look["gill_pale"]),
		f.look["gill_mucus"]
	if f.gillsOut() {
		red = "#3a2a2c"
	}
	f.add(`<path d="M%v %vQ%v %v %v %vQ%v %v %v %vZ" fill="%v" stroke="#4d1a20" stroke-width="1.5"/>`, top.x, top.y,
		bow.x+16, bow.y, bottom.x, bottom.y, inner.x-24, inner.y, top.x, top.y, red)
	if !f.gillsOut() {
		for i := range 3 {
			o := float64(i) * 7
			f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="%v" stroke-width="2" opacity=".7"/>`, top.x+2,
				top.y+12+o, bow.x+12-o, bow.y, bottom.x+3, bottom.y-10-o, mix(red, "#ffd9d9", 0.35))
		}
	}
	if mucus > 0 {
		f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="#e6dcae" stroke-width="9" stroke-linecap="round" `+
			`opacity="%v"/>`, top.x+4, top.y+22, bow.x+12, bow.y+4, bottom.x+8, bottom.y-18,
			fmt.Sprintf("%.2f", 0.2+0.7*mucus))
	}
	cover := mix(back, f.flank, 0.55)
	cheek := f.at(f.eye.x+0.03, -f.below(f.eye.x)*0.5)
	f.add(`<path d="M%v %vQ%v %v %v %vQ%v %v %v %vQ%v %v %v %vZ" fill="%v" stroke="%v" stroke-width="2.2"/>`,
		top.x, top.y, inner.x+14, inner.y, bottom.x, bottom.y, (bottom.x+cheek.x)/2, bottom.y+2, cheek.x, cheek.y,
		cheek.x-2, top.y+16, top.x, top.y, mix(cover, "#9d9b8c", 0.6*f.look["dull"]), mix(back, "#000000", 0.4))
	for i := range int(math.Round(11 * f.look["cover_blood"])) {
		a, r := float64(i)*2.4, 7+6*math.Sqrt(float64(i))
		p := point{(cheek.x+inner.x)/2 + r*math.Cos(a)*1.1, (top.y+bottom.y)/2 + r*math.Sin(a)*1.5}
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#9c2b2b" opacity=".72"/>`, p.x, p.y, 6+3*math.Sin(a*3),
			5+2*math.Cos(a*5))
	}
}

// head draws the mouth and the eye.
func (f *sketch) head(back string) {
	corner, lip := f.at(f.mouth, -f.below(f.mouth)*0.36), f.at(0.004, -6)
	f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="%v" stroke-width="3" stroke-linecap="round"/>`, lip.x,
		lip.y, (lip.x+corner.x)/2, lip.y+1, corner.x, corner.y, mix(back, "#000000", 0.55))
	nostril := f.at(f.eye.x*0.52, f.eye.y*0.9)
	f.add(`<circle cx="%v" cy="%v" r="2.6" fill="%v"/>`, nostril.x, nostril.y, mix(back, "#000000", 0.6))
	f.drawEye(f.eye, back)
	if f.eye2 != nil {
		f.drawEye(*f.eye2, back)
	}
	f.drawBarbels(back)
	f.drawBill(back)
}

// drawEye draws an eye that bulges, lies flat or is sunken, clear or clouded.
func (f *sketch) drawEye(eye point, back string) {
	e, r := f.at(eye.x, eye.y), f.eyeR
	flat, cloud := f.look["eye_flat"], f.look["eye_cloud"]
	if f.look["eye_blood"] > 0 {
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#a32a31" opacity=".7"/>`, e.x, e.y, r*1.35)
	}
	if sunk := math.Max(0, flat-0.6) / 0.4; sunk > 0 { // the rim of a sunken eye throws a shadow
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="%v"/>`, e.x, e.y, r*(1+0.14*sunk), mix(back, "#000000", 0.5))
		r *= 1 - 0.1*sunk
	}
	f.add(`<circle cx="%v" cy="%v" r="%v" fill="%v" stroke="%v" stroke-width="%v"/>`, e.x, e.y, r,
		mix("#d9b34a", "#c9bd92", cloud), mix(back, "#000000", 0.6), 3.2-2*flat)
	f.add(`<circle cx="%v" cy="%v" r="%v" fill="%v"/>`, e.x, e.y, r*(0.62-0.16*flat), mix("#0b0d10", "#6a7176", cloud))
	if cloud > 0 {
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#e9edea" opacity="%v"/>`, e.x, e.y, r*0.9,
			fmt.Sprintf("%.2f", 0.64*cloud))
	}
	if bulge := 1 - flat/0.5; bulge > 0 { // a bright dome
		f.add(`<path d="M%v %va%v %v 0 0 1 %v %v" fill="none" stroke="#ffffff" stroke-width="%v" `+
			`stroke-linecap="round" opacity=".9"/>`, e.x-r*0.62, e.y-r*0.28, r*0.7, r*0.7, r*0.6, -r*0.42, 1+2.4*bulge)
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#ffffff" opacity=".95"/>`, e.x-r*0.24, e.y-r*0.26,
			r*(0.08+0.09*bulge))
	} else if flat < 0.8 {
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#ffffff" opacity=".45"/>`, e.x-r*0.22, e.y-r*0.24, r*0.12)
	} else { // shade above, light below
		f.add(`<path d="M%v %vA%v %v 0 0 1 %v %v" fill="none" stroke="#1b1712" stroke-width="6" opacity=".55" `+
			`stroke-linecap="round"/>`, e.x-r*0.85, e.y-r*0.2, r*0.9, r*0.9, e.x+r*0.85, e.y-r*0.2)
	}
	if f.look["ice_burn"] > 0 {
		f.add(`<path d="M%v %vl8 6l-3 7l9 5M%v %vl-6 8" fill="none" stroke="#dff2f6" stroke-width="3.5" `+
			`stroke-linecap="round"/>`, e.x-r*0.5, e.y-r*0.4, e.x+r*0.3, e.y-r*0.5)
	}
}

func (f *sketch) pectoral(colour string) {
	p := f.at(f.gill+0.045, -f.below(f.gill)*0.18)
	f.add(`<path d="M%v %vq34 -22 86 4q-8 20 -50 26q-30 2 -36 -30Z" fill="%v" stroke="%v" stroke-width="2" `+
		`opacity=".95"/>`, p.x, p.y, mix(colour, "#ffffff", 0.12), mix(colour, "#000000", 0.4))
	f.add(`<path d="M%v %vl66 2M%v %vl58 12M%v %vl44 20" stroke="%v" stroke-width="1.4" opacity=".5"/>`, p.x+8, p.y,
		p.x+8, p.y+6, p.x+10, p.y+11, mix(colour, "#000000", 0.5))
}

func (f *sketch) bellyTear() {
	if f.look["belly_burst"] == 0 {
		return
	}
	p := f.at(f.belly0, -f.below(f.belly0)+6)
	f.add(`<path d="M%v %vq22 -20 50 -16q34 4 50 20q-24 14 -54 12q-32 -2 -46 -16Z" fill="#5b2226" stroke="#3a1416" `+
		`stroke-width="2"/>`, p.x-50, p.y-2)
	f.add(`<path d="M%v %vq10 18 -6 30q-14 12 2 24" fill="none" stroke="#a8736b" stroke-width="11" `+
		`stroke-linecap="round"/><path d="M%v %vq12 12 4 26" fill="none" stroke="#8b6b4d" stroke-width="9" `+
		`stroke-linecap="round"/>`, p.x-8, p.y, p.x+18, p.y)
}

// dent draws what the finger leaves on the flank.
func (f *sketch) dent() {
	depth := f.look["dent"]
	if depth < 0.2 { // springs back at once
		return
	}
	p := f.at(max(0.52, f.x0+0.12), 18)
	r := 4 + 20*depth
	f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#1d1a12" opacity="%v"/>`, p.x, p.y, r, r*0.66,
		fmt.Sprintf("%.2f", 0.12+0.33*depth))
	f.add(`<path d="M%v %va%v %v 0 0 0 %v 0" fill="none" stroke="#ffffff" stroke-width="3" opacity=".7" `+
		`stroke-linecap="round"/>`, p.x-r, p.y+2, r, r*0.7, 2*r)
}

// wisps draw the smell of the body and that of the gills.
func (f *sketch) wisps() {
	x := max(0.56, f.x0+0.2)
	f.smell(f.look["sea"], f.look["reek"], f.at(x, -f.below(x)-8))
	if !f.headless {
		f.smell(f.look["gill_sea"], f.look["gill_reek"], f.at(f.gill-0.03, -f.below(f.gill)-2))
	}
}

// smell draws a smell: blue for the sea, nothing for neutral, brown for worse.
func (c *canvas) smell(sea, reek float64, at point) {
	colour, n := "#0f6e78", 2
	switch {
	case reek > 0:
		colour, n = mix("#8a7a2c", "#7a3a1c", reek), 2+int(2*reek+0.5)
	case sea == 0:
		return
	}
	for i := range n {
		x := at.x + float64(i)*22 - float64(n-1)*11
		c.add(`<path d="M%v %vq12 14 0 28t0 28" fill="none" stroke="%v" stroke-width="5" stroke-linecap="round" `+
			`opacity=".75"/>`, x, at.y, colour)
	}
}

func (f *sketch) zones() []zone {
	x := max(0.62, f.x0+0.26)
	b := max(f.belly0-0.015, f.x0+0.1)
	list := []zone{
		{"skin", "Skin", f.at(x, f.above(x)*0.42), 180, f.above(x)*f.zoom*0.42 + 8},
		{"slime", "Slime and scales", f.at(0.80, 0), 62, f.above(0.80)*f.zoom + 12},
		{"flesh", "Flesh, press", f.at(max(0.52, f.x0+0.12), 6), 48, 42},
		{"belly", "Belly", f.at(b, -f.below(b)*0.62), 84, 40},
		{"cavity", "Belly cavity", f.at(max(f.belly0+0.03, f.x0+0.08), -f.below(f.belly0+0.03)+14), 80, 36},
		{"smell", "Smell", f.at(max(0.56, f.x0+0.2), -f.below(max(0.56, f.x0+0.2))-22), 58, 40},
		{"fins", "Fins", f.at(1.06, 0), 56, 70},
	}
	if f.disc {
		list[6] = zone{"fins", "Edge of the wing", f.at(0.5, f.above(0.5)-18), 70, 36}
	}
	if f.headless {
		top, bottom := f.at(f.x0, f.above(f.x0)), f.at(f.x0, -f.below(f.x0))
		h := (bottom.y - top.y) / 2
		list[4].at, list[4].rx, list[4].ry = point{top.x + 14, bottom.y - 0.42*h}, 62, 0.48*h
		return append(list, zone{"cut", "Cut face", point{top.x, top.y + 0.5*h}, 44, 0.56 * h})
	}
	return append(list,
		zone{"cover", "Gill cover", f.at(f.gill-0.065, -8), 34, 46},
		zone{"gills", "Gills", f.at(f.gill+0.018, -6), 30, 58},
		zone{"eye", "Eye", f.at(f.eye.x, f.eye.y), f.eyeR*1.7 + 4, f.eyeR*1.7 + 4})
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
