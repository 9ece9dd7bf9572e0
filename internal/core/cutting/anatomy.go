package cutting

import (
	"fmt"
	"math"
	"slices"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
)

// anatomies are the parts that a body has while it is uncut, but for waste, which all have.
var anatomies = map[species.Body][]string{
	species.Round: {"fillet_skin_on", "fillet_skinless", "loin", "steak", "butterfly", "pan_ready", "belly", "tail_piece", "nape",
		"cheek", "collar", "head", "frame", "skin", "scrape", "trim", "bloodline", "roe"},
	species.Flat: {"fillet_skin_on", "fillet_skinless", "steak", "pan_ready", "tail_piece", "cheek", "collar", "head", "frame",
		"skin", "scrape", "trim", "roe"},
	species.Tail: {"tail", "fillet_skinless", "loin", "medallion", "steak", "belly", "cheek", "collar", "head", "frame", "skin", "trim"},
	species.LargePelagic: {"loin", "steak", "belly", "tail_piece", "nape", "cheek", "collar", "head", "frame", "skin", "scrape",
		"trim", "bloodline"},
	species.Ray: {"wing", "fillet_skinless", "cheek", "frame", "skin", "scrape", "trim"},
}

// seafood is what other seafood is cut into.
var seafood = []string{"strips", "dice", "chopped", "portion_skinless", "roe", "trim"}

// flesh is what a piece of flesh is cut into.
var flesh = []string{"portion_skin_on", "portion_skinless", "medallion", "strips", "dice", "chopped", "belly", "tail_piece", "skin",
	"trim", "bloodline"}

// further are the parts that come of a part, besides waste.
var further = map[string][]string{
	"fillet_skin_on":   append([]string{"fillet_skinless", "loin"}, flesh...),
	"fillet_skinless":  append([]string{"loin"}, flesh...),
	"loin":             append([]string{"steak"}, flesh...),
	"wing":             append([]string{"fillet_skinless", "frame"}, flesh...),
	"tail":             append([]string{"fillet_skinless", "loin", "steak", "frame"}, flesh...),
	"pan_ready":        {"fillet_skin_on", "fillet_skinless", "butterfly", "steak", "frame", "head", "skin", "trim"},
	"butterfly":        {"fillet_skin_on", "strips", "dice", "chopped", "skin", "trim"},
	"portion_skin_on":  {"portion_skinless", "strips", "dice", "chopped", "skin", "trim"},
	"portion_skinless": {"strips", "dice", "chopped", "trim"},
	"medallion":        {"strips", "dice", "chopped", "trim"},
	"steak":            {"dice", "chopped", "frame", "skin", "trim"},
	"belly":            {"strips", "dice", "chopped", "skin", "trim"},
	"tail_piece":       {"strips", "dice", "chopped", "skin", "trim"},
	"nape":             {"dice", "chopped", "skin", "trim"},
	"collar":           {"chopped", "frame", "trim"},
	"head":             {"cheek", "collar", "frame", "skin", "trim"},
	"frame":            {"scrape", "frame", "trim"},
	"trim":             {"dice", "chopped"},
	"scrape":           {"chopped"},
	"strips":           {"dice", "chopped"},
	"dice":             {"chopped"},
}

// headless are the parts that are gone with the head.
var headless = []string{"head", "cheek", "collar"}

// PartsOf lists the parts that come of fish of a species in a form, the dearest first, waste last; none
// for what is not cut any further.
func PartsOf(s species.Species, form string) []Part {
	ids := further[form]
	switch _, whole := species.BasisOf(form); {
	case !s.Fish():
		ids = seafood
	case whole && !(s.Body == species.Tail && form == "tail"):
		noHead, noGuts := form == "headed_gutted" || form == "tail", form != "whole"
		ids = slices.DeleteFunc(slices.Clone(anatomies[s.Body]), func(id string) bool {
			return noHead && slices.Contains(headless, id) || noGuts && id == "roe"
		})
	}
	if len(ids) == 0 {
		return nil
	}
	var list []Part
	for _, p := range parts {
		if p.ID == Waste || slices.Contains(ids, p.ID) {
			if s.Body == species.Flat && (p.ID == "fillet_skin_on" || p.ID == "fillet_skinless") {
				p.PerFish = 4
			}
			if s.Body == species.LargePelagic && p.ID == "loin" {
				p.PerFish = 4
			}
			list = append(list, p)
		}
	}
	return list
}

// usualOf are the shares of a body that its parts usually are: of the fillets, the head, the frame with
// its fins, or the guts (house, from memory).
var usualOf = map[string]struct {
	of    string
	share float64
}{
	"loin": {"flesh", 0.9}, "wing": {"flesh", 1}, "fillet_skin_on": {"flesh", 1}, "fillet_skinless": {"flesh", 1}, "tail": {"flesh", 1},
	"steak": {"flesh", 1}, "butterfly": {"flesh", 1}, "pan_ready": {"flesh", 1.6}, "medallion": {"flesh", 0.9},
	"portion_skin_on": {"flesh", 0.92}, "portion_skinless": {"flesh", 0.9}, "strips": {"flesh", 0.9}, "dice": {"flesh", 0.9},
	"chopped": {"flesh", 0.95},
	"belly":   {"flesh", 0.1}, "tail_piece": {"flesh", 0.08}, "nape": {"flesh", 0.04}, "bloodline": {"flesh", 0.04}, "trim": {"flesh", 0.08},
	"head": {"head", 0.85}, "collar": {"head", 0.14}, "cheek": {"head", 0.03},
	"frame": {"frame", 0.75}, "scrape": {"frame", 0.12}, "roe": {"guts", 0.3},
}

// UsualShare is how much of fish that is cut, as a share of what goes in, a part usually is (house
// ranges of the species' yields; the rest from memory).
func UsualShare(s species.Species, form, part string) float64 {
	basis, whole := species.BasisOf(form)
	if !whole { // of a part: its flesh is all of it
		switch u := usualOf[part]; {
		case part == "skin":
			return skinShare(s, species.Whole)
		case part == Waste:
			return 0.03
		case part == "frame":
			return 0.25
		case u.of == "head":
			return u.share
		case u.of == "flesh":
			return min(u.share, 1)
		}
		return 0.1
	}
	skinOn := s.Fillets(basis, false).Mid()
	head, guts := s.Heads(basis), s.Guts(basis)
	frame := math.Max(0.02, 1-skinOn-head-guts)
	switch u := usualOf[part]; {
	case part == "fillet_skinless" || part == "loin":
		return s.Fillets(basis, true).Mid()
	case part == "skin":
		return skinOn * skinShare(s, basis)
	case part == Waste:
		return guts + 0.15*frame
	case u.of == "flesh":
		return min(skinOn*u.share, 0.97)
	case u.of == "head":
		return head * u.share
	case u.of == "guts":
		return guts * u.share
	default:
		return frame * u.share
	}
}

// skinShare is the share of a fillet that is its skin.
func skinShare(s species.Species, basis species.Basis) float64 {
	on, off := s.Fillets(basis, false).Mid(), s.Fillets(basis, true).Mid()
	return math.Max(0.02, 1-off/on)
}

// Weighed is a part of a cut with its weight, kg.
type Weighed struct {
	Part      string
	Count     int
	Kg        float64 // 0: nobody weighed it
	Estimated bool
}

// UsualSplit gives the parts that nobody weighed their usual proportions of what the weighed ones leave
// of a weight, kg, marked as estimated. The error is on the field parts where there is nothing left.
func UsualSplit(s species.Species, form string, inKg float64, list []Weighed) ([]Weighed, error) {
	left, usual := inKg, 0.0
	for _, w := range list {
		if w.Kg > 0 {
			left -= w.Kg
		} else {
			usual += UsualShare(s, form, w.Part)
		}
	}
	if usual == 0 {
		return list, nil
	}
	if !(left > 0) {
		return nil, invalid.Errors{{Field: "parts", Message: "the weighed parts leave nothing for the others"}}
	}
	out := slices.Clone(list)
	for i, w := range out {
		if w.Kg == 0 {
			out[i].Kg, out[i].Estimated = left*UsualShare(s, form, w.Part)/usual, true
		}
	}
	return out, nil
}

// The balance of a cut: drip may take so much of what goes in, rinsing add so much, and each reading of
// a scale be so far off, kg (house).
const (
	DripShare  = 0.02
	RinseShare = 0.02
	scaleKg    = 0.005
)

// Balance holds what comes out against what went in, kg. The error is on the field parts where more
// came out than went in; missing is how much more is gone than drip explains: 0 where nothing is.
func Balance(inKg float64, list []Weighed, rinsed bool) (missing float64, err error) {
	out := 0.0
	for _, w := range list {
		out += w.Kg
	}
	slack, most := scaleKg*float64(len(list)+1), inKg
	if rinsed {
		most += RinseShare * inKg
	}
	if out > most+slack {
		return 0, invalid.Errors{{Field: "parts",
			Message: fmt.Sprintf("weigh %.2f kg, more than the %.2f kg that went in", out, inKg)}}
	}
	return math.Max(0, inKg*(1-DripShare)-slack-out), nil
}
