package drawing

import (
	"html/template"
	"maps"
	"slices"
	"strconv"
	"strings"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
)

// Subject is what is drawn: a build of fish in a form.
type Subject struct {
	Figure string // the catalogue's name of the silhouette
	Form   string
	Frozen bool
}

// String writes a subject as it stands in an address: cod.gutted, or
// salmon.loin.frozen.
func (s Subject) String() string {
	text := s.Figure + "." + s.Form
	if s.Frozen {
		text += ".frozen"
	}
	return text
}

// ParseSubject reads what String writes; false for a figure or a form that
// there is not.
func ParseSubject(text string) (Subject, bool) {
	parts := strings.Split(text, ".")
	if len(parts) < 2 || len(parts) > 3 || len(parts) == 3 && parts[2] != "frozen" {
		return Subject{}, false
	}
	s := Subject{parts[0], parts[1], len(parts) == 3}
	_, dressed := coats[s.Figure]
	_, other := seafoods[s.Figure]
	_, ok := builds[s.Figure]
	ok = ok || dressed || other
	return s, ok && lot.IsForm(s.Form)
}

// Picture is a fish with what was seen on it.
type Picture struct {
	Subject
	Features freshness.Features // what is not in it is drawn fresh
	Zones    []string           // the parts that can be touched
	Now      string             // the zone that is marked
	Done     []string           // the zones that are ticked off
}

// zone is a part of a drawing that can be touched.
type zone struct {
	id, name string
	at       point
	rx, ry   float64
}

// figureDrawing is a drawing under way.
type figureDrawing interface {
	draw(c *canvas)
	zones() []zone // big ones first, so that small ones lie on top
	name() string
}

// drawingOf chooses how a subject is drawn, in a field of 1000 × 400 with the
// head to the left.
func drawingOf(s Subject, look freshness.Features) figureDrawing {
	switch {
	case s.Frozen:
		return newPack(s, look)
	case s.Form == "stock":
		return tub{}
	case seafoods[s.Figure].shape != nil:
		return newSeafood(s, look)
	case s.Form == "loin":
		return newLoin(s, look)
	case isFlesh(s.Form):
		return newFillet(s, look)
	case isOffcut(s.Form):
		return newOffcut(s, look)
	}
	return newBody(s, look)
}

// Draw draws the fish; each zone is a link to the fieldset #zone-<id>.
func (p Picture) Draw() template.HTML {
	f := drawingOf(p.Subject, p.Features)
	var c canvas
	c.add(`<svg class="fish" viewBox="20 14 960 372" role="group" aria-label="%v">`, describe(f.name(), p.Features))
	f.draw(&c)
	for _, z := range f.zones() {
		if !slices.Contains(p.Zones, z.id) {
			continue
		}
		done := slices.Contains(p.Done, z.id)
		class := "zone"
		if z.id == p.Now {
			class += " zone-now"
		}
		if done {
			class += " zone-done"
		}
		c.add(`<a href="#zone-%v" data-zone="%v" class="%v" aria-label="%v"><ellipse cx="%v" cy="%v" rx="%v" ry="%v"/>`,
			z.id, z.id, class, z.name, z.at.x, z.at.y, z.rx, z.ry)
		if done {
			c.add(`<path class="zone-tick" d="M%v %vl6 7l12-14"/>`, z.at.x+z.rx*0.6, z.at.y-z.ry*0.7)
		}
		c.add(`</a>`)
	}
	c.add(`</svg>`)
	return c.html()
}

// Vignette draws the part of a subject where a zone lies, all of it for a zone
// that there is not.
func Vignette(s Subject, zoneID string, look freshness.Features) template.HTML {
	f := drawingOf(s, look)
	x, y, w := 20.0, -60.0, 960.0 // all of it
	for _, z := range f.zones() {
		if z.id == zoneID {
			w = min(960, max(z.rx*2.6, z.ry*3.6))
			x, y = z.at.x-w/2, z.at.y-w*0.3
		}
	}
	var c canvas
	c.add(`<svg viewBox="%v %v %v %v" aria-hidden="true">`, x, y, w, w*0.6)
	f.draw(&c)
	c.add(`</svg>`)
	return c.html()
}

// describe says in words what a drawing shows.
func describe(name string, look freshness.Features) string {
	var seen []string
	for feature, value := range look {
		if value >= 0.3 {
			seen = append(seen, strings.ReplaceAll(feature, "_", " "))
		}
	}
	slices.Sort(seen)
	if len(seen) == 0 {
		return name + ", fresh"
	}
	return name + ": " + strings.Join(seen, ", ")
}

// FeatureNames are the features that drawings show.
var FeatureNames = []string{"eye_flat", "eye_cloud", "eye_blood", "ice_burn", "gill_brown", "gill_pale", "gill_mucus",
	"gill_sea", "gill_reek", "cover_blood",
	"dull", "slime", "scale_loss", "fin_dry", "fin_tear", "belly_sag", "belly_burst", "belly_red", "droop", "rigor",
	"dent", "sea", "reek", "lining", "vessels",
	"haze", "spots", "dark", "dry", "wet", "gape", "breaks", "drip", "cherry", "seal", "soft", "frost", "burn",
	"glaze", "no_scales", "no_fins", "no_tail"}

// FormatFeatures writes a look for an address: dent:1,droop:0.3.
func FormatFeatures(look freshness.Features) string {
	var parts []string
	for _, feature := range slices.Sorted(maps.Keys(look)) {
		parts = append(parts, feature+":"+strconv.FormatFloat(look[feature], 'f', -1, 64))
	}
	return strings.Join(parts, ",")
}

// ParseFeatures reads what FormatFeatures writes; false for a feature that there is not
// or a value outside 0 to 1.
func ParseFeatures(text string) (freshness.Features, bool) {
	look := freshness.Features{}
	if text == "" {
		return look, true
	}
	for _, part := range strings.Split(text, ",") {
		feature, value, _ := strings.Cut(part, ":")
		v, err := strconv.ParseFloat(value, 64)
		if err != nil || !(v >= 0 && v <= 1) || !slices.Contains(FeatureNames, feature) {
			return nil, false
		}
		look[feature] = v
	}
	return look, true
}
