package drawing

import (
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// offcut is a part of a fish that is no flesh alone: its head, its frame, a collar.
type offcut struct {
	*sketch
	part string
}

// offcuts are drawn as they lie on the fish.
var offcuts = []string{"head", "collar", "cheek", "frame"}

func isOffcut(form string) bool { return slices.Contains(offcuts, form) }

func newOffcut(s Subject, look freshness.Features) *offcut {
	return &offcut{newBody(Subject{Figure: s.Figure, Form: "gutted"}, look), s.Form}
}

func (o *offcut) name() string { return "Part of a fish" }

func (o *offcut) zones() []zone { return nil }

func (o *offcut) draw(c *canvas) {
	list := o.regions(species.Round, "")[o.part]
	if o.part == "frame" || len(list) == 0 {
		o.canvas = c
		o.bones()
		o.tail(mix(o.back, "#d9d2b4", 0.25))
		return
	}
	r := list[0]
	by := map[string]float64{"head": 1.5, "collar": 1.8, "cheek": 3.2}[o.part]
	c.add(`<defs><clipPath id="offcut-%v"><path d="%v"/></clipPath></defs><g transform="translate(500 200) scale(%v) translate(%v %v)">`+
		`<g clip-path="url(#offcut-%v)">`, o.part, raw(r.clip), by, -r.label.x, -r.label.y, o.part)
	o.sketch.draw(c)
	c.add(`</g></g>`)
}
