package drawing

import (
	"fmt"
	"math"
	"strings"

	"leancatch/internal/core/freshness"
)

// face is what the drawings of cut fish share: its colours as it ages.
type face struct {
	*canvas
	look  freshness.Features
	flesh string // of the species when fresh
	skin  string
}

func newFace(s Subject, look freshness.Features) face {
	fig := figureOf(s.Figure)
	return face{look: look, flesh: fig.flesh, skin: fig.back}
}

// tone is the colour of the flesh: it loses its clarity and greys, or is
// unnaturally red.
func (f face) tone() string {
	return mix(mix(f.flesh, "#a99f8c", 0.62*f.look["haze"]), "#f0435c", 0.8*f.look["cherry"])
}

// blood is the colour of the dark muscle, from a clear deep red to brown.
func (f face) blood() string {
	return mix(mix("#6d1220", "#8a5a3a", f.look["dark"]), "#e0405a", 0.7*f.look["cherry"])
}

// tray draws the liquid that the fish has lost, on its tray.
func (f face) tray(y float64) {
	f.add(`<path d="M70 %vH930L900 %vH100Z" fill="#dfe7e8" stroke="#8ea3a9" stroke-width="2.5"/>`, y, y+34)
	if drip := f.look["drip"]; drip > 0 {
		f.add(`<ellipse cx="500" cy="%v" rx="%v" ry="%v" fill="#c98f86" opacity=".75"/>`, y+10, 200+200*drip, 6+9*drip)
		f.add(`<path d="M%v %vq60 6 120 0" fill="none" stroke="#ffffff" stroke-width="4" stroke-linecap="round" `+
			`opacity=".8"/>`, 420-140*drip, y+8)
	}
}

// surface draws over a face what lies on it: gloss, film, dry patches, spots, a
// dent. spread places them.
func (f face) surface(place func(u, v float64) point) {
	if gloss := 1 - math.Max(f.look["haze"], f.look["dry"]); gloss > 0.2 {
		for i, v := range []float64{0.25, 0.62} {
			a, b := place(0.2+0.15*float64(i), v), place(0.52+0.2*float64(i), v-0.06)
			f.add(`<path d="M%v %vQ%v %v %v %v" fill="none" stroke="#ffffff" stroke-width="9" `+
				`stroke-linecap="round" opacity="%v"/>`, a.x, a.y, (a.x+b.x)/2, a.y-14, b.x, b.y,
				fmt.Sprintf("%.2f", 0.55*gloss))
		}
	}
	if wet := f.look["wet"]; wet > 0 {
		for i := range 5 {
			p := place(0.15+0.17*float64(i), 0.3+0.4*math.Mod(float64(i)*0.37, 1))
			f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#cfe4ea" opacity="%v"/>`, p.x, p.y, 30.0, 12.0,
				fmt.Sprintf("%.2f", 0.35+0.4*wet))
		}
	}
	for i := range int(7 * f.look["dry"]) {
		p := place(0.08+0.14*float64(i), 0.12+0.76*math.Mod(float64(i)*0.53, 1))
		f.add(`<path d="M%v %vq24 -16 46 2q6 18 -20 22q-30 2 -26 -24Z" fill="#7f6444" opacity=".5"/>`, p.x-20, p.y)
	}
	for i := range int(9 * f.look["spots"]) {
		p := place(0.1+0.1*float64(i), 0.2+0.6*math.Mod(float64(i)*0.61, 1))
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#3b2a22" opacity=".7"/>`, p.x, p.y, 4+math.Mod(float64(i)*2.7, 5))
	}
	if depth := f.look["dent"]; depth >= 0.2 {
		p, r := place(0.72, 0.46), 8+24*depth
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#2a1712" opacity="%v"/>`, p.x, p.y, r, r*0.62,
			fmt.Sprintf("%.2f", 0.10+0.32*depth))
		f.add(`<path d="M%v %va%v %v 0 0 0 %v 0" fill="none" stroke="#ffffff" stroke-width="3" opacity=".8" `+
			`stroke-linecap="round"/>`, p.x-r, p.y+2, r, r*0.66, 2*r)
	}
}

// loin is a block cut from the back of a large fish: its cut face in front, the
// skin behind, the dark muscle in a corner.
type loin struct{ face }

func newLoin(s Subject, look freshness.Features) *loin { return &loin{newFace(s, look)} }

func (l *loin) name() string { return "Cut face of a loin" }

// place maps the face's unit square, u along it and v down it, to the drawing:
// a rounded wedge.
func (l *loin) place(u, v float64) point {
	top := 86 + 60*math.Pow(u, 2.2)
	return point{150 + 640*u + 20*math.Sin(math.Pi*v), top + (322-top)*v}
}

func (l *loin) draw(c *canvas) {
	l.canvas = c
	l.tray(318)
	tone := l.tone()
	edge := func(v float64, back bool) []point {
		var p []point
		for i := 0; i <= 10; i++ {
			u := float64(i) / 10
			if back {
				u = 1 - u
			}
			p = append(p, l.place(u, v))
		}
		return p
	}
	top, low := edge(0, false), edge(1, true)
	// the skin and the side of the block behind the face
	c.add(`<path d="M%v %vl60 -38Q%v %v %v %vl-2 180L%v %vZ" fill="%v" stroke="%v" stroke-width="2.5"/>`, top[0].x,
		top[0].y, 560.0, 20.0, 880.0, 132.0, low[0].x, low[0].y, mix(tone, "#000000", 0.16), mix(tone, "#000000", 0.5))
	c.add(`<path d="M%v %vl60 -38Q%v %v %v %v" fill="none" stroke="%v" stroke-width="9" stroke-linecap="round"/>`,
		top[0].x, top[0].y, 560.0, 20.0, 880.0, 132.0, l.skin)
	outline := move(top[0]) + smooth(top) + line(low[0]) + smooth(low) + "Z"
	c.add(`<defs><clipPath id="loin-face"><path d="%v"/></clipPath></defs>`, raw(outline))
	c.add(`<path d="%v" fill="%v" stroke="%v" stroke-width="2.5"/>`, raw(outline), tone, mix(tone, "#000000", 0.45))
	c.add(`<g clip-path="url(#loin-face)">`)
	dark := l.look["dark"]
	c.add(`<path d="M120 60H430Q400 190 250 250Q180 270 120 250Z" fill="%v"/>`, l.blood())
	c.add(`<path d="M430 60Q400 190 250 250Q180 270 120 250" fill="none" stroke="%v" stroke-width="%v" opacity=".8"/>`,
		mix(l.blood(), "#7a5232", dark), 5+26*dark)
	// the sheets of the flakes: rings around a point beyond the far end
	for i := range 11 {
		r := 90 + 62*float64(i)
		var ring []point
		for a := -0.95; a <= 0.95; a += 0.19 {
			ring = append(ring, point{905 - r*math.Cos(a), 214 - r*0.62*math.Sin(a) - 12})
		}
		c.add(`<path d="%v" fill="none" stroke="%v" stroke-width="2.4" opacity=".75"/>`,
			raw(move(ring[0])+smooth(ring)), mix(tone, "#ffffff", 0.5))
		if gape := l.look["gape"]; gape > 0 && i%3 != 2 && float64(i) < 3+8*gape {
			mid := ring[3:8]
			c.add(`<path d="%v" fill="none" stroke="#3d1a18" stroke-width="%v" stroke-linecap="round" opacity=".85"/>`,
				raw(move(mid[0])+smooth(mid)), 3+12*gape)
		}
	}
	if l.look["breaks"] > 0 {
		c.add(`<path d="M420 214l60 10l30 -12l70 8M500 130l52 -8l40 12" fill="none" stroke="#3d1a18" ` +
			`stroke-width="8" stroke-linejoin="round" stroke-linecap="round" opacity=".85"/>`)
	}
	l.surface(l.place)
	c.add(`</g>`)
	c.smell(l.look["sea"], l.look["reek"], point{928, 214})
}

func (l *loin) zones() []zone {
	return []zone{
		{"face", "Face, touch and press", l.place(0.72, 0.46), 110, 70},
		{"cut", "Tone of the flesh", l.place(0.45, 0.3), 80, 52},
		{"flakes", "Flakes", l.place(0.5, 0.78), 110, 40},
		{"bloodline", "Dark muscle", point{232, 160}, 78, 70},
		{"tray", "Tray", point{500, 340}, 130, 26},
		{"smell", "Smell", point{928, 244}, 46, 48},
	}
}

// fillet lies on its skin side: flakes in chevrons about the dark line.
type fillet struct {
	face
	skinOn bool
}

func newFillet(s Subject, look freshness.Features) *fillet {
	return &fillet{newFace(s, look), strings.HasSuffix(s.Form, "skin_on")}
}

func (l *fillet) name() string { return "Fillet" }

// place maps u along the fillet and v across it.
func (l *fillet) place(u, v float64) point {
	half := 112 * math.Sqrt(1-math.Exp(-9*u)) * (1 - 0.78*math.Pow(u, 1.7))
	return point{80 + 830*u, 186 + 20*u + half*(2*v-1)}
}

func (l *fillet) draw(c *canvas) {
	l.canvas = c
	l.tray(306)
	tone := l.tone()
	edge := func(v float64, back bool) []point {
		var p []point
		for i := 0; i <= 14; i++ {
			u := float64(i) / 14
			if back {
				u = 1 - u
			}
			p = append(p, l.place(u, v))
		}
		return p
	}
	top, low := edge(0, false), edge(1, true)
	outline := raw(move(top[0]) + smooth(top) + line(low[0]) + smooth(low) + "Z")
	if l.skinOn {
		c.add(`<path d="%v" fill="%v" transform="translate(0 13)"/>`, outline, l.skin)
	}
	c.add(`<defs><clipPath id="fillet-face"><path d="%v"/></clipPath></defs><path d="%v" fill="%v" stroke="%v" `+
		`stroke-width="2.5"/>`, outline, outline, tone, mix(tone, "#000000", 0.42))
	c.add(`<g clip-path="url(#fillet-face)">`)
	dark := l.look["dark"]
	var lineOf []point
	for i := 0; i <= 10; i++ {
		lineOf = append(lineOf, l.place(0.05+0.09*float64(i), 0.5))
	}
	c.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" opacity=".9"/>`,
		raw(move(lineOf[0])+smooth(lineOf)), l.blood(), 16+10*dark)
	if dark > 0 {
		c.add(`<path d="%v" fill="none" stroke="#8a5a3a" stroke-width="%v" opacity=".35"/>`,
			raw(move(lineOf[0])+smooth(lineOf)), 16+60*dark)
	}
	for i := range 15 {
		u := 0.03 + 0.066*float64(i)
		chevron := []point{l.place(u+0.03, 0), l.place(u-0.012, 0.26), l.place(u+0.035, 0.5), l.place(u-0.012, 0.74),
			l.place(u+0.03, 1)}
		c.add(`<path d="%v" fill="none" stroke="%v" stroke-width="2.2" opacity=".7"/>`,
			raw(move(chevron[0])+smooth(chevron)), mix(tone, "#ffffff", 0.55))
		if gape := l.look["gape"]; gape > 0 && i%3 == 1 || gape > 0.6 && i%3 == 2 {
			c.add(`<path d="%v" fill="none" stroke="#4a2620" stroke-width="%v" stroke-linecap="round" opacity=".85"/>`,
				raw(move(chevron[0])+smooth(chevron[:3])), 3+11*gape)
		}
	}
	if l.look["breaks"] > 0 {
		a, b := l.place(0.32, 0.15), l.place(0.46, 0.3)
		c.add(`<path d="M%v %vl40 14l26 -10L%v %v" fill="none" stroke="#4a2620" stroke-width="9" `+
			`stroke-linejoin="round" stroke-linecap="round"/>`, a.x, a.y, b.x, b.y)
	}
	l.surface(l.place)
	c.add(`</g>`)
	c.smell(l.look["sea"], l.look["reek"], point{934, 216})
}

func (l *fillet) zones() []zone {
	return []zone{
		{"face", "Face, touch and press", l.place(0.68, 0.44), 84, 40},
		{"cut", "Tone of the flesh", l.place(0.24, 0.24), 92, 36},
		{"flakes", "Flakes", l.place(0.30, 0.80), 92, 34},
		{"bloodline", "Dark muscle", l.place(0.46, 0.5), 70, 26},
		{"tray", "Tray", point{500, 328}, 130, 26},
		{"smell", "Smell", point{934, 246}, 44, 46},
	}
}
