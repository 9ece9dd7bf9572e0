package drawing

import (
	"fmt"
	"html/template"
	"math"
)

// IceBox is a box with its ice going down.
type IceBox struct {
	Share  float64 // of the last filling that is left
	Wall   float64 // thickness of the wall over the width inside
	Fish   int     // lots in it
	Filled float64 // of the room inside, by fish and ice at the last filling; 0 where unknown
}

// Draw makes the drawing: the box cut open, its fish, the ice as far as it is
// left, the melt water below.
func (b IceBox) Draw() template.HTML {
	const w, h = 200.0, 150.0
	wall := math.Min(math.Max(b.Wall*w, 5), 22)
	left, right, top, bottom := wall+2, w-wall-2, 14.0, h-wall-4
	full := 0.86
	if b.Filled > 0 {
		full = math.Min(math.Max(b.Filled, 0.3), 0.95)
	}
	share := math.Min(math.Max(b.Share, 0), 1)
	level := bottom - (bottom-top)*full*share
	line := bottom - (bottom-top)*full // where the ice stood
	var c canvas
	c.add(`<svg class="icebox" viewBox="0 0 %v %v" role="img" aria-label="%v">`, w, h,
		fmt.Sprintf("Box with %.0f %% of its ice left", 100*share))
	c.add(`<path class="icebox-wall" d="M2 %vV%vH%vV%vH%vV%vH%vV%vZ"/>`, top-4, h-2, w-2, top-4, right, bottom, left,
		top-4)
	c.add(`<rect class="icebox-water" x="%v" y="%v" width="%v" height="%v"/>`, left, bottom-10*(1-share), right-left,
		10*(1-share))
	if share > 0 {
		c.add(`<path class="icebox-ice" d="M%v %v`, left, bottom)
		c.add(`L%v %v`, left, level+3)
		n := 9
		for i := 1; i <= n; i++ { // a broken surface
			dy := 4.0
			if i%2 == 0 {
				dy = -3
			}
			c.add(`L%v %v`, left+(right-left)*float64(i)/float64(n), level+dy)
		}
		c.add(`L%v %vZ"/>`, right, bottom)
	}
	for i := range min(b.Fish, 3) {
		y := bottom - 20 - 30*float64(i)
		if y < top+8 {
			break
		}
		x := left + 12 + 14*float64(i%2)
		long := right - left - 44
		c.add(`<path class="icebox-fish" d="M%v %vc%v -16 %v -16 %v -3l14 -9l-5 13l5 11l-14 -8c%v 13 %v 10 %v `+
			`-4z"/><circle class="icebox-eye" cx="%v" cy="%v" r="2"/>`,
			x, y, long*0.25, long*0.7, long, -long*0.3, -long*0.75, -long, x+10, y-3)
	}
	if share > 0 { // lumps over the fish
		for i := range int(26 * share) {
			px := left + 6 + math.Mod(float64(i)*47.3, right-left-12)
			py := bottom - 5 - math.Mod(float64(i)*31.7, math.Max(bottom-level-8, 1))
			c.add(`<path class="icebox-lump" d="M%v %vl5 -3l4 4l-5 4z"/>`, px-4, py)
		}
	}
	c.add(`<path class="icebox-was" d="M%v %vH%v"/></svg>`, left, line, right)
	return c.html()
}
