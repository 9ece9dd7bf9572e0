package planning

import (
	"math"
	"slices"
	"time"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
)

// WholeFish is the part of a dish that is one fish as it is, head and bones.
const WholeFish = "whole_fish"

// Dish is what lies on a plate, and what happens to the fish before.
type Dish struct {
	Name    string
	Species []string // a choice, the first is preferred
	Part    string   // of cutting, or WholeFish
	Pieces  int      // on a plate
	PieceG  float64  // of a piece; of whole fish it is what a plate is reckoned at where none is known
	FishG   species.Range
	Raw     bool
	Aged    bool          // takes fish that hung, and no other does
	Salt    time.Duration // ahead of its service
	Cut     time.Duration // the same; it may be cut later, not earlier than that
	PutUp   time.Duration // ahead of its service it goes to its station
}

// Check adds what is wrong with a dish, by its JSON names.
func (d Dish) Check(c species.Catalogue, bad *invalid.Errors) {
	if d.Name == "" || invalid.TooLong(d.Name, 60) {
		bad.Add("name", "give it a name of at most 60 characters")
	}
	if len(d.Species) == 0 || len(d.Species) > 8 {
		bad.Add("species", "choose one to eight species")
	}
	for _, id := range d.Species {
		if _, ok := c.Get(id); !ok {
			bad.Add("species", "%q is not in the catalogue", id)
		}
	}
	if _, ok := cutting.GetPart(d.Part); !ok && d.Part != WholeFish || d.Part == cutting.Waste {
		bad.Add("part", "choose a part")
	}
	if d.Pieces < 1 || d.Pieces > 100 {
		bad.Add("pieces", "must be between 1 and 100")
	}
	if d.Part == WholeFish {
		if !(d.FishG.Lo > 0 && d.FishG.Lo < d.FishG.Hi && d.FishG.Hi <= 20_000) {
			bad.Add("fish_hi_g", "say from and to which weight a fish is one plate, up to 20 000 g")
		}
	} else if !(d.PieceG > 0 && d.PieceG <= 5000) {
		bad.Add("piece_g", "must be above 0 and at most 5 000 g")
	}
	for field, t := range map[string]time.Duration{"salt_minutes": d.Salt, "cut_minutes": d.Cut, "put_up_minutes": d.PutUp} {
		if t < 0 || t > 72*time.Hour {
			bad.Add(field, "must be between 0 and 72 h")
		}
	}
}

// PlateKg is what the fish of a plate weighs.
func (d Dish) PlateKg() float64 {
	if d.Part == WholeFish {
		return d.FishG.Mid() / 1000
	}
	return float64(d.Pieces) * d.PieceG / 1000
}

// Takes reports whether a dish may be of a species.
func (d Dish) Takes(speciesID string) bool { return slices.Contains(d.Species, speciesID) }

// Fish is what a lot has to offer.
type Fish struct {
	Species species.Species
	Form    string
	Count   int
	Kg      float64
	Frozen  bool // it loses its drip yet
	// Yield is the share of fish in a form that becomes a part, as the kitchen knows it; nil for the house's.
	Yield func(form, part string) float64
}

// Offer is what fish offers a dish: fish, pieces or grams, of which a plate takes so many. Offers of one Kind are of
// the same flesh: what one dish takes of them another cannot. Offers of other kinds, collars beside fillets, come
// of the same fish.
type Offer struct {
	Kind  string // "fish", "flesh", or the part
	Units int
	Plate int     // units on a plate
	Share float64 // of the weight that becomes the part
	Cut   bool    // a knife has to go through it first
}

// Plates is how many plates it is enough for.
func (o Offer) Plates() int { return o.Units / max(o.Plate, 1) }

// Part is how many units a share of it has, 0 to 1; Fitting is how many plates that is enough for.
func (o Offer) Part(share float64) int    { return int(share*float64(o.Units) + 1e-6) }
func (o Offer) Fitting(share float64) int { return o.Part(share) / max(o.Plate, 1) }

// Kinds of offers that are no part.
const (
	KindFish  = "fish"
	KindFlesh = "flesh"
)

// ready are the forms that serve a part as they are, though they are called otherwise.
var ready = map[string][]string{
	"fillet_skin_on":  {"portion_skin_on"},
	"portion_skin_on": {"fillet_skin_on"},
	"fillet_skinless": {"portion_skinless", "loin", "medallion"}, "portion_skinless": {"fillet_skinless", "loin", "medallion"},
	"loin":      {"fillet_skinless", "portion_skinless", "medallion"},
	"trim":      {"scrape", "tail_piece", "chopped", "dice", "strips"},
	"chopped":   {"scrape", "tail_piece", "trim", "dice", "strips"},
	"pan_ready": {"gutted", "gutted_gills_out"},
}

// between are what flesh is first, on its way from a whole fish to a smaller part.
var between = []string{"fillet_skin_on", "fillet_skinless", "loin", "tail"}

// From is what fish offers the dish; false where it is not for it.
func (d Dish) From(f Fish) (Offer, bool) {
	if !d.Takes(f.Species.ID) || f.Count < 1 || !(f.Kg > 0) {
		return Offer{}, false
	}
	if d.Part == WholeFish {
		each := 1000 * f.Kg / float64(f.Count)
		_, whole := species.BasisOf(f.Form)
		if !whole && f.Form != "pan_ready" || each < d.FishG.Lo || each > d.FishG.Hi {
			return Offer{}, false
		}
		return Offer{Kind: KindFish, Units: f.Count, Plate: 1, Share: 1}, true
	}
	share, cut, ok := f.becomes(d.Part)
	if !ok {
		return Offer{}, false
	}
	o := Offer{Kind: d.Part, Share: share, Cut: cut}
	part, _ := cutting.GetPart(d.Part)
	switch flesh := isFlesh(part); {
	case !flesh && part.PerFish > 0: // counted
		o.Plate, o.Units = d.Pieces, f.Count
		if cut {
			o.Units *= part.PerFish
			if f.Kg/float64(f.Count) < part.LeastKg {
				return Offer{}, false
			}
		}
		return o, true
	case flesh:
		o.Kind = KindFlesh
	}
	o.Plate = int(math.Round(float64(d.Pieces) * d.PieceG))
	each := 1000 * f.Kg / float64(f.Count)
	if d.Pieces == 1 && !cut && math.Abs(each-d.PieceG) <= thawing.PortionSlack*d.PieceG {
		o.Units = f.Count * o.Plate // a piece is a portion
		return o, true
	}
	usable := f.Kg * share
	if f.Frozen {
		usable *= 1 - thawing.DripShare
	}
	o.Units = int(1000 * usable)
	return o, o.Units >= o.Plate
}

// beside are the parts that a fish has beside its flanks: a dish of one of them takes nothing of the flesh.
var beside = []string{"belly", "tail_piece", "nape", "cheek", "collar", "roe", "scrape", "trim", "head", "frame", "skin", "bloodline"}

// isFlesh reports whether a part is cut of the flanks: what one part takes of them another cannot.
func isFlesh(p cutting.Part) bool { return !slices.Contains(beside, p.ID) }

// becomes is the share of fish that becomes a part, and whether a knife has to go through it; false where the part
// does not come of it.
func (f Fish) becomes(part string) (share float64, cut, ok bool) {
	if f.Form == part || slices.Contains(ready[part], f.Form) {
		return 1, false, true
	}
	if share, ok := f.step(f.Form, part); ok {
		return share, true, true
	}
	if p, _ := cutting.GetPart(part); !isFlesh(p) {
		return 0, false, false
	}
	for _, mid := range between {
		first, ok := f.step(f.Form, mid)
		if !ok {
			continue
		}
		second, ok := f.step(mid, part)
		if slices.Contains(ready[part], mid) {
			second, ok = 1, true
		}
		if ok && first*second > share {
			share = first * second
		}
	}
	return share, true, share > 0
}

// step is the share of fish in a form that becomes a part at once.
func (f Fish) step(form, part string) (float64, bool) {
	if !slices.ContainsFunc(cutting.PartsOf(f.Species, form), func(p cutting.Part) bool { return p.ID == part }) {
		return 0, false
	}
	if f.Yield != nil {
		return f.Yield(form, part), true
	}
	return cutting.UsualShare(f.Species, form, part), true
}

// Chain is what becomes of fish that is bought in a form on its way to the dish, without the spread of its yield;
// false where the part does not come of it.
func (d Dish) Chain(f Fish, ageingLoss float64) (Chain, bool) {
	if d.Part == WholeFish {
		return Chain{Yield: Estimate{Mean: 1}}, true
	}
	share, _, ok := f.becomes(d.Part)
	c := Chain{Yield: Estimate{Mean: share}}
	if f.Frozen {
		c.DripLoss = thawing.DripShare
	}
	if d.Aged {
		c.AgeingLoss = ageingLoss
	}
	return c, ok
}
