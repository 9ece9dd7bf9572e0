// Package cutting knows what a knife makes of fish: the parts that each body has, how much of the fish
// each of them usually is and what it is worth, and whether the weights of a cut add up.
//
//	parts := cutting.PartsOf(turbot, "gutted")        // four fillets, two cheeks, a frame …
//	kg := cutting.UsualSplit(turbot, "gutted", 3.1, parts, weighed)
package cutting

import "slices"

// Use is what a part of a fish is good for.
type Use string

// The uses.
const (
	Raw    Use = "raw"
	Sear   Use = "sear"
	Braise Use = "braise"
	Chop   Use = "chop"
	Roast  Use = "roast"
	Pot    Use = "pot"
)

// Part is what a knife leaves of a fish, and the form of the lot that it begins.
type Part struct {
	ID, Name string
	PerFish  int     // how many of them a fish has, a flat fish twice as many fillets; 0: as many as are cut
	Worth    float64 // a kilogram of it against one of fillet (house); 0 for what nobody pays for
	Usable   bool    // it counts for the yield
	Slab     bool    // it is flat: heat goes through its two faces
	Uses     []Use
	LeastKg  float64 // of the fish from which it is worth taking (common practice, no source); 0: of any
}

// parts are all of them, the dearest first.
var parts = []Part{
	{ID: "fillet_skin_on", Name: "Fillet, skin on", PerFish: 2, Worth: 1, Usable: true, Slab: true, Uses: []Use{Sear, Roast, Raw}},
	{ID: "fillet_skinless", Name: "Fillet, skinless", PerFish: 2, Worth: 1.1, Usable: true, Slab: true, Uses: []Use{Raw, Sear, Braise}},
	{ID: "loin", Name: "Loin, steak or block", Worth: 1.2, Usable: true, Uses: []Use{Raw, Sear}},
	{ID: "wing", Name: "Wing", PerFish: 2, Worth: 1, Usable: true, Slab: true, Uses: []Use{Sear, Braise}},
	{ID: "tail", Name: "Tail", PerFish: 1, Worth: 0.8, Usable: true, Uses: []Use{Roast, Braise}},
	{ID: "portion_skin_on", Name: "Portion, skin on", Worth: 1.1, Usable: true, Slab: true, Uses: []Use{Sear, Roast}},
	{ID: "portion_skinless", Name: "Portion, skinless", Worth: 1.2, Usable: true, Slab: true, Uses: []Use{Sear, Braise, Raw}},
	{ID: "medallion", Name: "Medallion", Worth: 1.2, Usable: true, Slab: true, Uses: []Use{Sear, Raw}},
	{ID: "steak", Name: "Steak, across the bone", Worth: 0.8, Usable: true, Slab: true, Uses: []Use{Sear, Braise, Roast}},
	{ID: "butterfly", Name: "Butterfly", PerFish: 1, Worth: 0.9, Usable: true, Slab: true, Uses: []Use{Sear, Roast}},
	{ID: "pan_ready", Name: "Whole, ready for the pan", PerFish: 1, Worth: 0.7, Usable: true, Uses: []Use{Roast, Sear}},
	{ID: "strips", Name: "Strips", Worth: 0.8, Usable: true, Slab: true, Uses: []Use{Sear, Raw}},
	{ID: "dice", Name: "Dice", Worth: 0.8, Usable: true, Slab: true, Uses: []Use{Braise, Raw}},
	{ID: "chopped", Name: "Chopped", Worth: 0.6, Usable: true, Slab: true, Uses: []Use{Chop, Raw}},
	{ID: "belly", Name: "Belly", PerFish: 2, Worth: 0.7, Usable: true, Slab: true, Uses: []Use{Sear, Raw, Chop}, LeastKg: 2},
	{ID: "tail_piece", Name: "Tail piece", Worth: 0.7, Usable: true, Slab: true, Uses: []Use{Chop, Braise}},
	{ID: "nape", Name: "Nape", PerFish: 2, Worth: 0.5, Usable: true, Slab: true, Uses: []Use{Braise, Chop}, LeastKg: 2},
	{ID: "cheek", Name: "Cheek", PerFish: 2, Worth: 1, Usable: true, Uses: []Use{Sear, Braise}, LeastKg: 2.5},
	{ID: "collar", Name: "Collar", PerFish: 2, Worth: 0.4, Usable: true, Uses: []Use{Roast, Braise}, LeastKg: 1.5},
	{ID: "roe", Name: "Roe", Worth: 0.8, Usable: true, Uses: []Use{Sear}},
	{ID: "scrape", Name: "Scrape of the frame", Worth: 0.5, Usable: true, Slab: true, Uses: []Use{Chop, Raw}},
	{ID: "trim", Name: "Trim", Worth: 0.3, Usable: true, Slab: true, Uses: []Use{Chop, Pot}},
	{ID: "head", Name: "Head", PerFish: 1, Worth: 0.08, Uses: []Use{Pot, Roast}},
	{ID: "frame", Name: "Frame", PerFish: 1, Worth: 0.08, Uses: []Use{Pot}},
	{ID: "skin", Name: "Skin", Worth: 0.05, Slab: true, Uses: []Use{Sear, Pot}},
	{ID: "bloodline", Name: "Bloodline", Slab: true},
	{ID: Waste, Name: "Waste"},
}

// Waste is what is thrown away: guts, gills, fins, membrane, scales.
const Waste = "waste"

// GetPart returns the part with an id; false for none.
func GetPart(id string) (Part, bool) {
	i := slices.IndexFunc(parts, func(p Part) bool { return p.ID == id })
	if i < 0 {
		return Part{}, false
	}
	return parts[i], true
}

// Parts lists all parts that a lot may be of, the dearest first: waste is none.
func Parts() []string {
	var list []string
	for _, p := range parts {
		if p.ID != Waste {
			list = append(list, p.ID)
		}
	}
	return list
}

// uncut are the parts whose flesh no knife opened.
var uncut = []string{"pan_ready", "tail"}

// IsCut reports whether a knife went through the flesh of fish in a form: gutting and heading do not
// count.
func IsCut(form string) bool {
	_, ok := GetPart(form)
	return form == "cleaned" || ok && !slices.Contains(uncut, form)
}

// Slab reports whether heat goes through the two faces of fish in a form, and not all around.
func Slab(form string) bool {
	p, _ := GetPart(form)
	return p.Slab
}
