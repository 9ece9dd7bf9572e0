package drawing

import (
	"html/template"
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
)

// Trimmed draws a fish as it is ordered, with a mark on each part that it could
// have: ticked where it stays on, crossed where it comes off, and a warning
// where it was not found so. Each mark is a link to #trim-<part>.
func Trimmed(figure, form string, off, wrong []lot.Trim) template.HTML {
	has := func(t lot.Trim) bool { return slices.Contains(off, t) }
	subject, look := Subject{Figure: figure, Form: form}, freshness.Features{}
	switch {
	case form != "whole" && form != "gutted" && form != "gutted_gills_out":
	case has("head"):
		subject.Form = "headed_gutted"
	case has("gills"):
		subject.Form = "gutted_gills_out"
	case has("guts") && form == "whole":
		subject.Form = "gutted"
	}
	for part, feature := range map[lot.Trim]string{"scales": "no_scales", "fins": "no_fins", "tail": "no_tail"} {
		if has(part) {
			look[feature] = 1
		}
	}
	f := drawingOf(subject, look)
	var c canvas
	c.add(`<svg class="fish trimmed" viewBox="0 -20 1000 430" role="group" aria-label="What stays on and what comes off">`)
	f.draw(&c)
	for _, t := range lot.TrimFor(form) {
		p := trimPoint(f, t)
		p = point{min(max(p.x, 78), 922), min(max(p.y, 12), 380)}
		class, mark := "trim", "m-9 1 6 7 12-15"
		if has(t) {
			class, mark = "trim trim-off", "m-8 -8 16 16m0 -16-16 16"
		}
		if slices.Contains(wrong, t) {
			class, mark = class+" trim-wrong", "m0 -9v11m0 6v1"
		}
		c.add(`<a href="#trim-%v" class="%v" data-trim="%v" aria-label="%v"><rect x="%v" y="%v" width="150" `+
			`height="56" rx="28"/><path d="M%v %v%v"/><text x="%v" y="%v">%v</text></a>`,
			string(t), class, string(t), t.Name(), p.x-75, p.y-28, p.x-48, p.y, mark, p.x-24, p.y+8, t.Name())
	}
	c.add(`</svg>`)
	return c.html()
}

// trimPoint is where the mark of a part stands.
func trimPoint(f figureDrawing, t lot.Trim) point {
	if b, ok := f.(*sketch); ok {
		switch t {
		case "scales":
			return b.at(max(0.62, b.x0+0.22), 26)
		case "guts":
			return b.at(max(b.belly0, b.x0+0.1), -b.below(b.belly0)-6)
		case "gills":
			return b.at(b.gill+0.03, 6)
		case "fins":
			return b.at(max(0.5, b.x0+0.15), b.above(0.5)+38)
		case "tail":
			p := b.at(1.08, 0)
			return point{min(p.x, 912), p.y}
		case "head":
			return b.at(max(0.04, b.x0-0.04), b.above(0.1)+30)
		}
	}
	if t == "scales" {
		return point{300, 320}
	}
	return point{500, 180}
}
