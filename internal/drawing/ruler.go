package drawing

import (
	"html/template"
	"math"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// Ruler draws ages on a ruler of fresh days: the claimed needle above, the read
// one below, each with its 95 % band, and the gap between them. The shelf life
// ends where the ruler is hatched. An age that is nil is not drawn.
func Ruler(shelf species.Range, claimed, read *freshness.Age, gap *float64) template.HTML {
	const left, right, top, mid, bottom = 20.0, 980.0, 22.0, 66.0, 110.0
	end := shelf.Hi + 2
	for _, a := range []*freshness.Age{claimed, read} {
		if a != nil {
			end = math.Max(end, math.Min(a.Hi()+1, shelf.Hi*2))
		}
	}
	x := func(d float64) float64 { return left + (right-left)*math.Min(math.Max(d, 0), end)/end }
	var c canvas
	c.add(`<svg class="ruler" viewBox="0 0 1000 132" role="img" aria-label="%v">`, rulerText(claimed, read))
	c.add(`<rect class="ruler-life" x="%v" y="%v" width="%v" height="20"/>`, left, mid-10, x(shelf.Lo)-left)
	c.add(`<rect class="ruler-maybe" x="%v" y="%v" width="%v" height="20"/>`, x(shelf.Lo), mid-10,
		x(shelf.Hi)-x(shelf.Lo))
	c.add(`<rect class="ruler-over" x="%v" y="%v" width="%v" height="20"/>`, x(shelf.Hi), mid-10, right-x(shelf.Hi))
	step := math.Max(1, math.Ceil(end/16))
	for d := 0.0; d <= end; d++ {
		h := 5.0
		if math.Mod(d, step) == 0 {
			h = 10
			c.add(`<text class="ruler-day" x="%v" y="%v">%v</text>`, x(d), mid+5, d)
		}
		c.add(`<path class="ruler-tick" d="M%v %vv%vM%v %vv%v"/>`, x(d), mid-10, -h*0.6, x(d), mid+10, h*0.6)
	}
	needle := func(a *freshness.Age, class, word string, tip, base, text float64) {
		if a == nil {
			return
		}
		c.add(`<rect class="band %v" x="%v" y="%v" width="%v" height="12" rx="6"/>`, class, x(a.Lo()), (tip+base)/2-6,
			math.Max(4, x(a.Hi())-x(a.Lo())))
		dir := 11.0
		if base < tip {
			dir = -11
		}
		c.add(`<path class="needle %v" d="M%v %vL%v %vL%v %vZM%v %vL%v %v"/>`, class, x(a.Days), tip, x(a.Days)-8,
			tip+dir*1.2, x(a.Days)+8, tip+dir*1.2, x(a.Days), tip, x(a.Days), base)
		at, anchor := x(a.Days)+14, "start"
		if at > 760 {
			at, anchor = x(a.Days)-14, "end"
		}
		c.add(`<text class="needle-text" x="%v" y="%v" text-anchor="%v">%v</text>`, at, text, anchor,
			word+" "+a.Text("d"))
	}
	needle(claimed, "claimed", "papers say", mid-16, top-8, top-3)
	needle(read, "read", "fish says", mid+16, bottom+10, bottom+16)
	if gap != nil && math.Abs(*gap) > freshness.GapLimit {
		a, b := x(math.Min(claimed.Days, read.Days)), x(math.Max(claimed.Days, read.Days))
		c.add(`<path class="gap" d="M%v %vH%v"/>`, a, mid, b)
	}
	c.add(`</svg>`)
	return c.html()
}

func rulerText(claimed, read *freshness.Age) string {
	text := "Ruler of fresh days."
	if claimed != nil {
		text += " The papers say " + claimed.Text("d") + "."
	}
	if read != nil {
		text += " The fish says " + read.Text("d") + "."
	}
	return text
}
