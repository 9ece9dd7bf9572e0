package drawing

import (
	"fmt"
	"math"
	"strings"
)

// mark is something on the skin by which a species is known. Places are x along the body, 0 to 1, and v
// across it: 1 at the back, 0 on the axis, −1 at the belly.
type mark interface{ draw(*sketch) }

// on is a place on the body.
func (f *sketch) on(x, v float64) point {
	if v >= 0 {
		return f.at(x, v*f.above(x))
	}
	return f.at(x, v*f.below(x))
}

// along is a line of points from x0 to x1 at v, lifted over the pectoral fin by arch.
func (f *sketch) along(x0, x1, v, arch float64) []point {
	x0 = max(x0, f.x0)
	var p []point
	for i := range 13 {
		x := x0 + (x1-x0)*float64(i)/12
		lift := arch * math.Exp(-math.Pow((x-f.gill-0.08)/0.11, 2))
		p = append(p, f.on(x, v+lift))
	}
	return p
}

func opacity(o float64) string { return fmt.Sprintf("%.2f", o) }

// strength is how much of a mark is left on a dull skin.
func (f *sketch) strength(o float64) string { return opacity(o * (1 - 0.45*f.look["dull"])) }

// sideLine is a lateral line that is seen: its colour, its width and how high it arches over the fin.
type sideLine struct {
	colour      string
	width, arch float64
}

func (m sideLine) draw(f *sketch) {
	p := f.along(f.gill, 0.99, 0.04, m.arch)
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" stroke-linecap="round" opacity="%v"/>`, raw(move(p[0])+smooth(p)),
		m.colour, m.width, f.strength(0.95))
}

// band is a stretch of the skin in one colour, from v0 to v1.
type band struct {
	x0, x1, v0, v1 float64
	colour         string
	opacity        float64
}

func (m band) draw(f *sketch) {
	top, low := f.along(m.x0, m.x1, m.v1, 0), f.along(m.x0, m.x1, m.v0, 0)
	for i, j := 0, len(low)-1; i < j; i, j = i+1, j-1 {
		low[i], low[j] = low[j], low[i]
	}
	f.add(`<path d="%v" fill="%v" opacity="%v"/>`, raw(move(top[0])+smooth(top)+line(low[0])+smooth(low)+"Z"), m.colour, f.strength(m.opacity))
}

// stripes run along the body, n of them from v0 to v1.
type stripes struct {
	n              int
	x0, x1, v0, v1 float64
	width          float64
	colour         string
}

func (m stripes) draw(f *sketch) {
	var d strings.Builder
	for i := range m.n {
		v := m.v0 + (m.v1-m.v0)*float64(i)/math.Max(1, float64(m.n-1))
		p := f.along(m.x0, m.x1, v, 0)
		d.WriteString(move(p[0]) + smooth(p))
	}
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" opacity="%v"/>`, raw(d.String()), m.colour, m.width, f.strength(0.75))
}

// bars run down from the back to v, n of them; they lean and wave.
type bars struct {
	n           int
	x0, x1      float64
	v           float64
	width       float64
	lean, waves float64 // of the length
	colour      string
}

func (m bars) draw(f *sketch) {
	var d strings.Builder
	for i := range m.n {
		x := m.x0 + (m.x1-m.x0)*float64(i)/math.Max(1, float64(m.n-1))
		if x < f.x0 {
			continue
		}
		var p []point
		for j := range 7 {
			t := float64(j) / 6
			p = append(p, f.on(x+m.lean*t+m.waves*math.Sin(2.2*math.Pi*t+float64(i)), 1.05+(m.v-1.05)*t))
		}
		d.WriteString(move(p[0]) + smooth(p))
	}
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" stroke-linecap="round" opacity="%v"/>`, raw(d.String()), m.colour,
		m.width*f.zoom, f.strength(0.8))
}

// blotch is one large spot.
type blotch struct {
	x, v, rx, ry float64 // of it; radii in points
	colour, ring string  // ring "" for none
}

func (m blotch) draw(f *sketch) {
	if m.x < f.x0 {
		return
	}
	p := f.on(m.x, m.v)
	if m.ring != "" {
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity="%v"/>`, p.x, p.y, m.rx+5, m.ry+5, m.ring, f.strength(0.8))
	}
	f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="%v" opacity="%v"/>`, p.x, p.y, m.rx, m.ry, m.colour, f.strength(0.9))
}

// dots are n spots of a size over a part of the skin, strewn, or in a row where v0 is v1.
type dots struct {
	n              int
	x0, x1, v0, v1 float64
	r              float64
	colour, ring   string
}

func (m dots) draw(f *sketch) {
	seed := uint32(11)
	next := func() float64 { // a small generator: the same spots each time
		seed = seed*1664525 + 1013904223
		return float64(seed>>8) / (1 << 24)
	}
	var sizes [3]strings.Builder // a path each, of points with round ends
	for i := range m.n {
		x, size := m.x0+(m.x1-m.x0)*(float64(i)+0.15+0.7*next())/float64(m.n), int(3*next())
		v := m.v0 + (m.v1-m.v0)*math.Mod(0.618*float64(i)+0.12*next(), 1)
		if m.v0 == m.v1 { // a row
			x, size = m.x0+(m.x1-m.x0)*float64(i)/math.Max(1, float64(m.n-1)), 1
		}
		if x >= f.x0 {
			sizes[size].WriteString(move(f.on(x, v)) + "h0")
		}
	}
	for i, d := range sizes {
		width := 2 * m.r * (0.75 + 0.25*float64(i))
		if d.Len() > 0 && m.ring != "" {
			f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" stroke-linecap="round" opacity="%v"/>`, raw(d.String()), m.ring,
				width+6, f.strength(0.7))
		}
		if d.Len() > 0 {
			f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" stroke-linecap="round" opacity="%v"/>`, raw(d.String()), m.colour,
				width, f.strength(0.9))
		}
	}
}

// scutes are the keeled plates along the side of a jack.
type scutes struct {
	x0     float64
	colour string
}

func (m scutes) draw(f *sketch) {
	var d strings.Builder
	for i := range 34 {
		x := m.x0 + (0.985-m.x0)*float64(i)/33
		if x < f.x0 {
			continue
		}
		arch := 0.30 * math.Exp(-math.Pow((x-f.gill-0.05)/0.10, 2))
		p, h := f.on(x, arch), 5+9*(x-m.x0)
		d.WriteString(move(point{p.x - 5, p.y - h}) + line(point{p.x + 5, p.y}) + line(point{p.x - 5, p.y + h}))
	}
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="3" opacity="%v"/>`, raw(d.String()), m.colour, f.strength(0.9))
}

// net is a skin of scales that are seen from afar.
type net struct {
	step   float64 // of the length
	colour string
}

func (m net) draw(f *sketch) {
	var d strings.Builder
	row := 0
	for v := -0.9; v < 0.95; v += 5.2 * m.step {
		row++
		for x := max(f.gill+0.02, f.x0) + m.step/2*float64(row%2); x < 0.95; x += m.step {
			p := f.on(x, v)
			w := m.step * f.length * f.zoom
			d.WriteString(move(point{p.x - w/2, p.y - w*0.4}) + fmt.Sprintf("q%.1f %.1f 0 %.1f", w*0.9, w*0.4, w*0.8))
		}
	}
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="1.8" opacity="%v"/>`, raw(d.String()), m.colour, f.strength(0.55))
}

// drawFinlets draws the small fins between the last fins and the tail.
func (f *sketch) drawFinlets(colour string) {
	if f.finlets == 0 || len(f.dorsal) == 0 {
		return
	}
	from := f.dorsal[len(f.dorsal)-1].x1 + 0.02
	step := (0.95 - from) / float64(f.finlets)
	for i := range f.finlets {
		x := from + step*(float64(i)+0.2)
		if x < f.x0 {
			continue
		}
		for _, v := range []float64{1, -1} {
			a, b := f.on(x, v), f.on(x+step*0.7, v)
			f.add(`<path d="M%v %vL%v %vL%v %vZ" fill="%v" stroke="%v" stroke-width="1.2"/>`, a.x, a.y+2*v, b.x+4, b.y-11*v, b.x, b.y+2*v, colour,
				mix(colour, "#000000", 0.4))
		}
	}
}

// drawBarbels draws long feelers at the mouth.
func (f *sketch) drawBarbels(back string) {
	for i := range f.barbels {
		p := f.on(0.02+0.012*float64(i), -0.55)
		f.add(`<path d="M%v %vq%v 24 %v 46" fill="none" stroke="%v" stroke-width="3.5" stroke-linecap="round"/>`, p.x, p.y, 4+10*float64(i),
			10+22*float64(i), mix(back, "#000000", 0.25))
	}
}

// drawBill draws the upper jaw of a swordfish, or both of a garfish.
func (f *sketch) drawBill(back string) {
	if f.bill == 0 {
		return
	}
	root, tip := f.at(0.03, 4), f.at(-f.bill, 6)
	f.add(`<path d="M%v %vL%v %vL%v %vZ" fill="%v" stroke="%v" stroke-width="2" stroke-linejoin="round"/>`, root.x, root.y-12, tip.x, tip.y, root.x,
		root.y+9, mix(back, "#d9d2b4", 0.2), mix(back, "#000000", 0.45))
}
