package drawing

import (
	"fmt"
	"math"
	"strings"

	"leancatch/internal/core/freshness"
)

// seafood is one of the other things that come in with the fish: squid, prawn, crab, shell.
type seafood struct {
	*canvas
	kind seafoodKind
	look freshness.Features
}

// seafoodKind is how it is built: its outline, and where what is looked at lies.
type seafoodKind struct {
	name         string
	shell, flesh string           // colours
	shape        func(f *seafood) // draws it fresh or old
	at           map[string]point // the zones: skin, spots, flesh, eye, belly, smell
	spots        []point          // where black spots or broken edges show
}

// seafoods by the catalogue's name of the figure.
var seafoods = map[string]seafoodKind{
	"squid": {"Squid", "#b5716a", "#f4e9e4", (*seafood).squid,
		map[string]point{"skin": {520, 170}, "eye": {268, 206}, "flesh": {600, 214}, "spots": {150, 230}, "belly": {500, 236}, "smell": {420, 260}},
		[]point{{430, 170}, {560, 186}, {700, 196}, {500, 230}, {640, 224}}},
	"octopus": {"Octopus", "#8c5a4a", "#f0e2da", (*seafood).octopus,
		map[string]point{"skin": {640, 150}, "eye": {530, 170}, "flesh": {690, 200}, "spots": {300, 240}, "belly": {600, 230}, "smell": {560, 260}},
		[]point{{620, 130}, {700, 160}, {660, 210}, {400, 230}, {280, 210}}},
	"prawn": {"Prawn", "#c9a596", "#f3e6de", (*seafood).prawn,
		map[string]point{"skin": {520, 150}, "eye": {236, 186}, "flesh": {440, 180}, "spots": {640, 214}, "belly": {480, 250}, "smell": {400, 280}},
		[]point{{300, 170}, {400, 140}, {480, 134}, {560, 146}, {640, 180}, {690, 236}}},
	"lobster": {"Lobster", "#3b4a66", "#f3e4dc", (*seafood).lobster,
		map[string]point{"skin": {600, 170}, "eye": {396, 176}, "flesh": {680, 206}, "spots": {520, 220}, "belly": {560, 240}, "smell": {470, 262}},
		[]point{{440, 170}, {520, 176}, {600, 180}, {680, 186}, {760, 192}}},
	"crab": {"Crab", "#9c5236", "#f0e0d6", (*seafood).crab,
		map[string]point{"skin": {500, 160}, "eye": {460, 118}, "flesh": {420, 220}, "spots": {600, 220}, "belly": {500, 250}, "smell": {500, 290}},
		[]point{{400, 170}, {470, 210}, {540, 190}, {600, 170}, {330, 180}, {670, 180}}},
	"oyster":  shellOf("Oyster", "#8b8574", "#d8d2c4", 0.86, 12, 0),
	"mussel":  shellOf("Mussel", "#2b2f46", "#e9b987", 0.46, 5, 0),
	"clam":    shellOf("Clam", "#b59b72", "#efe2cc", 0.72, 9, 0),
	"scallop": shellOf("Scallop", "#c67a56", "#f6efe6", 0.92, 4, 13),
}

// shellOf is a kind of shell: how high it is against its length, its rings and its ribs.
func shellOf(name, shell, flesh string, high float64, rings, ribs int) seafoodKind {
	return seafoodKind{name, shell, flesh, func(f *seafood) { f.valve(high, rings, ribs) },
		map[string]point{"skin": {500, 160}, "spots": {640, 230}, "flesh": {420, 200}, "belly": {520, 262}, "smell": {330, 250}, "eye": {500, 120}},
		[]point{{380, 240}, {460, 268}, {560, 268}, {640, 240}, {690, 200}}}
}

func newSeafood(s Subject, look freshness.Features) *seafood {
	return &seafood{kind: seafoods[s.Figure], look: look}
}

func (f *seafood) name() string { return f.kind.name }

// shellColour is the colour of the shell or skin as it dulls.
func (f *seafood) shellColour() string { return mix(f.kind.shell, "#a8a294", 0.7*f.look["dull"]) }

func (f *seafood) edge() string { return mix(f.shellColour(), "#000000", 0.45) }

// path draws an outline in the colour of the shell.
func (f *seafood) path(d, fill string) {
	f.add(`<path d="%v" fill="%v" stroke="%v" stroke-width="2.5" stroke-linejoin="round"/>`, raw(d), fill, f.edge())
}

// lines draws thin lines on it.
func (f *seafood) lines(d string, width float64) {
	f.add(`<path d="%v" fill="none" stroke="%v" stroke-width="%v" stroke-linecap="round" opacity=".7"/>`, raw(d), f.edge(), width)
}

func (f *seafood) draw(c *canvas) {
	f.canvas = c
	f.kind.shape(f)
	f.signs()
}

// signs draws over the shape what was found on it.
func (f *seafood) signs() {
	if spots := f.look["spots"]; spots > 0 {
		for _, p := range f.kind.spots[:int(math.Ceil(spots*float64(len(f.kind.spots))))] {
			f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#15130f" opacity=".8"/>`, p.x, p.y, 8+10*spots, 6+6*spots)
		}
	}
	if gloss := 1 - f.look["dull"] - f.look["dry"]; gloss > 0.1 {
		p := f.kind.at["skin"]
		f.add(`<path d="M%v %vq60 -22 130 -6" fill="none" stroke="#ffffff" stroke-width="8" stroke-linecap="round" opacity="%v"/>`, p.x-90,
			p.y-8, opacity(0.55*gloss))
	}
	if slime := f.look["slime"]; slime > 0 {
		p := f.kind.at["skin"]
		f.add(`<ellipse cx="%v" cy="%v" rx="90" ry="26" fill="#b9a767" opacity="%v"/>`, p.x, p.y, opacity(0.6*slime))
	}
	if dent := f.look["dent"]; dent > 0.2 {
		p := f.kind.at["flesh"]
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="#1d1a12" opacity="%v"/>`, p.x, p.y, 8+20*dent, 6+12*dent, opacity(0.15+0.3*dent))
	}
	if dry := f.look["dry"]; dry > 0 {
		p := f.kind.at["flesh"]
		f.add(`<ellipse cx="%v" cy="%v" rx="%v" ry="%v" fill="none" stroke="#6b4a2a" stroke-width="%v" stroke-dasharray="8 6" opacity=".7"/>`,
			p.x, p.y, 70.0, 34.0, 3+6*dry)
	}
	if haze := f.look["haze"]; haze > 0 {
		p := f.kind.at["belly"]
		f.add(`<ellipse cx="%v" cy="%v" rx="80" ry="18" fill="#8f8a78" opacity="%v"/>`, p.x, p.y, opacity(0.75*haze))
	}
	if f.look["eye_cloud"] > 0 || f.look["eye_flat"] > 0 {
		p := f.kind.at["eye"]
		f.add(`<circle cx="%v" cy="%v" r="%v" fill="#e9edea" opacity="%v"/>`, p.x, p.y, 15-5*f.look["eye_flat"], opacity(0.8*f.look["eye_cloud"]))
	}
	f.smell(f.look["sea"], f.look["reek"], f.kind.at["smell"])
}

// eye draws an eye on its place.
func (f *seafood) eye(r float64) {
	p := f.kind.at["eye"]
	f.add(`<circle cx="%v" cy="%v" r="%v" fill="#d9b34a" stroke="#1b1712" stroke-width="2.5"/><circle cx="%v" cy="%v" r="%v" fill="#0b0d10"/>`,
		p.x, p.y, r, p.x, p.y, r*0.55)
}

func (f *seafood) squid() {
	droop := 40 * f.look["droop"]
	for i := range 8 {
		y := 176 + 9*float64(i)
		f.lines(fmt.Sprintf("M250 %.0fC200 %.0f 150 %.0f %.0f %.0f", y, y-10+droop/2, y+20+droop, 70+6*float64(i%3), y-14+20*float64(i%3)+droop), 9)
	}
	f.lines(fmt.Sprintf("M250 206C160 %.0f 90 %.0f 36 %.0f", 250+droop, 240+droop, 214+droop), 6)
	f.path("M640 190Q760 96 900 204Q760 316 640 222Z", f.shellColour())
	f.path("M310 148Q640 130 900 204Q640 282 310 264Q292 206 310 148Z", mix(f.shellColour(), f.kind.flesh, 0.45))
	f.path("M312 160Q250 168 238 206Q250 246 312 252Q296 206 312 160Z", f.shellColour())
	f.eye(15)
	f.lines("M470 176h0M540 210h0M600 176h0M680 206h0M740 184h0M420 232h0M520 244h0M640 238h0", 7)
}

func (f *seafood) octopus() {
	droop := 36 * f.look["droop"]
	for i := range 8 {
		x, y := 120+16*float64(i), 110+32*float64(i)
		f.lines(fmt.Sprintf("M540 %.0fC420 %.0f 300 %.0f %.0f %.0fq-20 -16 -34 6", 180+7*float64(i), 190+droop+8*float64(i), y-20+droop, x, y+droop), 20-1.4*float64(i%3))
	}
	f.path("M520 150Q560 84 680 84Q800 92 806 180Q800 262 680 262Q560 256 520 216Z", f.shellColour())
	f.eye(14)
	f.lines("M620 140h0M680 120h0M720 170h0M660 200h0M740 210h0M610 210h0", 9)
}

func (f *seafood) prawn() {
	droop := 26 * f.look["droop"]
	f.lines("M240 196C160 150 110 120 40 150M240 200C170 190 110 210 50 250", 4)
	for i := range 6 {
		x := 300 + 52*float64(i)
		f.lines(fmt.Sprintf("M%.0f 232q-20 40 %.0f 66", x, -10+droop), 7)
	}
	f.path("M214 176L120 150L250 168Z", f.shellColour())
	f.path("M212 182Q260 138 372 132Q392 190 372 238Q270 236 212 182Z", mix(f.shellColour(), f.kind.flesh, 0.35))
	for i := range 6 {
		a := -0.5 + 0.34*float64(i)
		x, y := 430+64*float64(i), 182+26*a*a*3+droop*float64(i)/6
		f.path(fmt.Sprintf("M%.0f %.0fq40 -14 62 4q14 48 -6 92q-34 6 -64 -8q-14 -46 8 -88Z", x-46, y-44), mix(f.shellColour(), f.kind.flesh, 0.3))
	}
	f.path(fmt.Sprintf("M770 %.0fq66 -22 118 10q-46 22 -112 34Zm4 30q70 12 90 52q-60 2 -100 -34Z", 244+droop), f.shellColour())
	f.eye(11)
}

func (f *seafood) lobster() {
	droop := 24 * f.look["droop"]
	f.lines("M400 180C300 110 200 90 60 96M400 190C300 150 200 150 80 190", 4)
	for i := range 4 {
		x := 440 + 34*float64(i)
		f.lines(fmt.Sprintf("M%.0f 222q-26 50 %.0f 90", x, -20+droop), 8)
	}
	f.path(fmt.Sprintf("M420 210Q330 230 270 %.0fQ180 %.0f 120 %.0fQ170 %.0f 250 %.0fQ200 %.0f 130 %.0fQ240 %.0f 300 %.0fQ370 260 430 230Z", 236+droop, 200+droop,
		250+droop, 262+droop, 264+droop, 290+droop, 300+droop, 320+droop, 272+droop), f.shellColour())
	f.path("M376 184Q420 140 540 142Q560 190 540 236Q430 232 376 184Z", f.shellColour())
	for i := range 6 {
		x := 540 + 46*float64(i)
		f.path(fmt.Sprintf("M%.0f 148q30 -8 48 4q8 40 -4 84q-26 8 -48 0q-10 -44 4 -88Z", x), mix(f.shellColour(), f.kind.flesh, 0.12))
	}
	f.path("M816 152q90 -20 110 10q-40 14 -100 20Zm0 30q110 0 120 16q-60 16 -118 4Zm0 28q90 20 80 46q-60 4 -90 -24Z", f.shellColour())
	f.eye(10)
}

func (f *seafood) crab() {
	droop := 22 * f.look["droop"]
	for i := range 4 {
		for _, side := range []float64{-1, 1} {
			x, y := 500+side*(190-14*float64(i)), 190+22*float64(i)
			f.lines(fmt.Sprintf("M%.0f %.0fq%.0f %.0f %.0f %.0f", x, y, side*70, -30+droop, side*130, 40+droop+8*float64(i)), 15)
		}
	}
	for _, side := range []float64{-1, 1} {
		x := 500 + side*200
		f.path(fmt.Sprintf("M%.0f 150q%.0f -70 %.0f -70q%.0f 20 %.0f 50q%.0f -10 %.0f -20q%.0f 60 %.0f 60Z", x-side*20, side*40, side*110, side*30, side*10, side*20, side*40,
			-side*10, -side*70), f.shellColour())
	}
	f.path("M290 190Q320 104 500 100Q680 104 710 190Q680 268 500 276Q320 268 290 190Z", f.shellColour())
	f.lines("M360 190q140 -40 280 0M420 236q80 -20 160 0", 4)
	f.eye(9)
	f.add(`<circle cx="540" cy="118" r="9" fill="#d9b34a" stroke="#1b1712" stroke-width="2.5"/><circle cx="540" cy="118" r="5" fill="#0b0d10"/>`)
}

// valve is a shell seen from the side: it gapes when its animal is dead.
func (f *seafood) valve(high float64, rings, ribs int) {
	gape := 46 * f.look["gape"]
	h := 150 * high
	f.path(fmt.Sprintf("M250 200Q300 %.0f 500 %.0fQ720 %.0f 760 200Z", 200+h+gape, 200+h+gape, 200+h*0.9+gape), mix(f.shellColour(), "#000000", 0.15))
	if gape > 0 {
		f.add(`<path d="M262 200Q500 %v 750 200Q500 %v 262 200Z" fill="%v"/>`, 200+gape*1.1, 196+gape*0.2, f.kind.flesh)
	}
	top := fmt.Sprintf("M250 200Q300 %.0f 500 %.0fQ720 %.0f 760 200Q500 214 250 200Z", 200-h, 200-h, 200-h*0.9)
	f.path(top, f.shellColour())
	var d strings.Builder
	for i := 1; i <= rings; i++ {
		t := float64(i) / float64(rings+1)
		fmt.Fprintf(&d, "M%.0f 200Q%.0f %.0f %.0f %.0fQ%.0f %.0f %.0f 200", 250+30*t, 300+60*t, 200-h*(1-t), 500+10*t, 200-h*(1-t), 720-40*t, 200-h*0.9*(1-t), 760-30*t)
	}
	for i := range ribs {
		t := (float64(i) + 0.5) / float64(ribs)
		fmt.Fprintf(&d, "M500 206L%.0f %.0f", 270+480*t, 200-h*math.Sin(math.Pi*t)*0.78)
	}
	f.lines(d.String(), 2.5)
}

func (f *seafood) zones() []zone {
	var list []zone
	for _, z := range []struct {
		id, name string
		rx, ry   float64
	}{{"skin", "Outside", 170, 60}, {"belly", "Inside", 90, 34}, {"spots", "Edges and joints", 70, 44}, {"flesh", "Flesh, press", 56, 42}, {"smell", "Smell", 54, 40},
		{"eye", "Eye, head", 34, 34}} {
		list = append(list, zone{z.id, z.name, f.kind.at[z.id], z.rx, z.ry})
	}
	return list
}
