package drawing

import (
	"fmt"
	"math"

	"leancatch/internal/core/freshness"
)

// pack is a frozen pack: fish under film with a sealed edge.
type pack struct {
	*canvas
	look freshness.Features
	fish Subject
}

func newPack(s Subject, look freshness.Features) *pack {
	s.Frozen = false
	return &pack{look: look, fish: s}
}

func (k *pack) name() string { return "Frozen pack" }

func (k *pack) draw(c *canvas) {
	k.canvas = c
	bend := 60 * k.look["soft"]
	c.add(`<path d="M90 60Q500 %v 910 60L910 340Q500 %v 90 340Z" fill="#e6f0f3" stroke="#7f979e" stroke-width="3" `+
		`stroke-linejoin="round"/>`, 60-bend*0.4, 340+bend*1.4)
	// the fish in it, pale with cold
	c.add(`<g transform="translate(500 %v) scale(.74) translate(-500 -196)">`, 200+bend*0.4)
	drawingOf(k.fish, freshness.Features{"haze": 0.25 * k.look["burn"], "dull": 0.4}).draw(c)
	c.add(`</g><path d="M104 74Q500 %v 896 74L896 326Q500 %v 104 326Z" fill="#dff0f5" opacity=".35"/>`, 74-bend*0.4,
		326+bend*1.4)
	if k.look["glaze"] > 0 {
		c.add(`<ellipse cx="500" cy="%v" rx="330" ry="104" fill="#cfeaf2" fill-opacity=".4" stroke="#6fb6c9" `+
			`stroke-width="12" opacity=".9"/>`, 200+bend*0.4)
		c.add(`<path d="M260 140q60 -44 150 -52" fill="none" stroke="#ffffff" stroke-width="10" ` +
			`stroke-linecap="round" opacity=".9"/>`)
	}
	k.burn()
	k.frost()
	k.drip(bend)
	k.seal(bend)
	c.add(`<path d="M140 112q90 -30 210 -34" fill="none" stroke="#ffffff" stroke-width="7" stroke-linecap="round" ` +
		`opacity=".8"/>`)
}

// burn draws the white, dry patches of freezer burn.
func (k *pack) burn() {
	burn := k.look["burn"]
	for i := range int(9 * burn) {
		x, y := 250+62*float64(i), 190+56*math.Sin(float64(i)*2.1)
		k.add(`<path d="M%v %vl14 -14l16 6l18 -8l12 14l-6 12l8 10l-20 12l-14 -6l-22 6l-10 -16Z" fill="#fbfaf4" `+
			`stroke="#cdbf9f" stroke-width="1.5" stroke-linejoin="round" opacity="%v"/>`, x-24, y,
			fmt.Sprintf("%.2f", 0.6+0.35*burn))
		k.add(`<path d="M%v %vl16 -8m-8 14l26 -12m-12 16l14 -6" stroke="#b9a884" stroke-width="2"/>`, x-16, y+4)
	}
}

// frost draws loose crystals of ice.
func (k *pack) frost() {
	frost := k.look["frost"]
	for i := range int(34 * frost) {
		x, y := 130+740*math.Mod(float64(i)*0.7549, 1), 84+224*math.Mod(float64(i)*0.5698+0.2, 1)
		r := 7 + 9*math.Mod(float64(i)*0.27, 1)
		k.add(`<path d="M%v %vl%v 0M%v %vl%v %vM%v %vl%v %v" stroke="#ffffff" stroke-width="5" stroke-linecap="round"/>`,
			x-r, y, 2*r, x-r/2, y-r*0.87, r, r*1.74, x-r/2, y+r*0.87, r, -r*1.74)
		k.add(`<path d="M%v %vl%v 0M%v %vl%v %vM%v %vl%v %v" stroke="#86b7c6" stroke-width="2" stroke-linecap="round"/>`,
			x-r, y, 2*r, x-r/2, y-r*0.87, r, r*1.74, x-r/2, y+r*0.87, r, -r*1.74)
	}
}

// drip draws the ice of drip that ran into a corner and froze again.
func (k *pack) drip(bend float64) {
	drip := k.look["drip"]
	if drip == 0 {
		return
	}
	w, h := 120+300*drip, 30+56*drip
	k.add(`<path d="M896 %vQ%v %v %v %vQ%v %v 896 %vZ" fill="#d98d86" stroke="#a4564f" stroke-width="3" opacity=".88"/>`,
		326-h, 896-w*0.6, 326-h*0.7, 896-w, 322+bend*0.5, 896-w*0.4, 330+bend*0.7, 326.0)
	k.add(`<path d="M%v %vq40 -10 90 -14" fill="none" stroke="#ffffff" stroke-width="5" stroke-linecap="round" `+
		`opacity=".75"/>`, 896-w*0.62, 318-h*0.2)
}

// seal draws the sealed edge, whole or open.
func (k *pack) seal(bend float64) {
	k.add(`<path d="M90 60V340" stroke="#5f7780" stroke-width="20"/><path d="M90 62V338" stroke="#b9ccd2" ` +
		`stroke-width="12" stroke-dasharray="5 5"/>`)
	open := k.look["seal"]
	if open == 0 {
		return
	}
	gap := 30 + 120*open
	k.add(`<path class="paper" d="M74 %vQ%v 200 74 %vZ" stroke="#a2343f" stroke-width="3"/>`, 200-gap/2, 100+80*open,
		200+gap/2)
	if open > 0.7 {
		k.add(`<path d="M92 %vQ40 %v 34 %vQ62 %v 92 %vZ" fill="#e6f0f3" stroke="#7f979e" stroke-width="3"/>`,
			200-gap/2, 190-gap/2, 236-gap/2, 214.0, 206.0)
	}
}

func (k *pack) zones() []zone {
	return []zone{
		{"body", "Hardness", point{500, 290}, 130, 46},
		{"frost", "Ice in the pack", point{330, 130}, 96, 58},
		{"burn", "Freezer burn", point{560, 160}, 96, 56},
		{"drip", "Corners and drip", point{812, 290}, 84, 54},
		{"seal", "Seal", point{104, 200}, 56, 120},
	}
}
