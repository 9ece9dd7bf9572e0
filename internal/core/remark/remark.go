// Package remark leads from what a guest said of a plate to what most likely caused it: it weighs each cause by how often it makes fish
// so, and by
// what the record of that very fish speaks for and against it.
//
// The causes and what speaks for them are of [FAO348] (bleeding, ice, rigor), [Torry27] (freezing) and common practice, no source; the
// weights are
// house, and only their order counts.
package remark

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"leancatch/internal/core/preparing"
	"leancatch/internal/core/refs"
)

// Sources says what the causes rest on.
const Sources refs.Cited = "After [FAO348] and [Torry27], and common practice, no source; the weights are house"

// Word is what a guest said.
type Word string

// The words.
const (
	Strong   Word = "strong"
	Fishy    Word = "fishy"
	Sour     Word = "sour"
	Dry      Word = "dry"
	Stringy  Word = "stringy"
	Chalky   Word = "chalky"
	Soggy    Word = "soggy"
	Tough    Word = "tough"
	Blood    Word = "blood"
	Bone     Word = "bone"
	ColdCore Word = "cold_centre"
)

// Words are all of them, those of the nose first.
var Words = []Word{Strong, Fishy, Sour, Dry, Stringy, Chalky, Soggy, Tough, Blood, Bone, ColdCore}

// Name is the word as a guest says it.
func (w Word) Name() string {
	if w == ColdCore {
		return "cold centre"
	}
	return string(w)
}

// Step is where in the fish's way a cause lies.
type Step string

// The steps.
const (
	Catch     Step = "catch"
	Supplier  Step = "supplier"
	Storage   Step = "storage"
	Freezing  Step = "freezing"
	Thawing   Step = "thawing"
	Bench     Step = "bench"
	Preparing Step = "preparing"
	Cooking   Step = "cooking"
)

// Facts are what the record says of the fish until it was served. A nil pointer, and an empty choice of the bench, is what nobody wrote
// down.
type Facts struct {
	Oily, SharkOrRay, BigTuna bool // the species
	Raw                       bool // served so

	Bled          *bool
	BledMinutes   *float64 // from its death
	IceHours      *float64 // from its death to the ice
	GuttedHours   *float64 // from its death; nil where it lies with its guts, or nobody knows
	Fought        *bool    // it was long on the line or in the net
	OlderBy       *float64 // fresh days that the fish said more than its papers
	Spent         *float64 // share of its fresh life
	WarmHours     *float64 // out of the cold in the kitchen
	MeltWater     *bool    // its ice had melted around it
	WasFrozen     bool
	FreezeHours   *float64 // from 0 to −5 °C
	FrozenSpent   *float64 // share of its frozen life
	Refrozen      bool     // it had begun to thaw, and went back
	ThawInWater   bool
	ThawMediumC   *float64
	DripShare     *float64 // of its weight
	ThawedHours   *float64 // from free of ice to the plate; below 0 where it was not free yet
	AgedDays      float64
	Policies      map[string]string // of the bench, by cutting.Policy
	Boneless      *bool             // bones were felt for
	CutStiff      *bool             // in rigor
	PieceG        *float64
	Method        string   // of preparing, the last; "" for none
	PreparedHours *float64 // from then to the plate
	CookedC       *float64 // core
	CookedAhead   bool     // and chilled
}

// Cause is a likely one, with what speaks for and against it.
type Cause struct {
	ID, Name     string
	Step         Step
	Share        float64 // of all that is likely, 0 to 1
	For, Against string  // what the record says; "" for nothing
	Ask          string  // what nobody wrote down, and would tell; "" where it is known
}

// evidence is what a record says of a cause: how many times likelier it makes it, and in what words.
type evidence struct {
	ratio        float64
	pro, contra  string
	ask          string
	cannotHappen bool
}

func pro(ratio float64, format string, args ...any) evidence {
	return evidence{ratio: ratio, pro: fmt.Sprintf(format, args...)}
}

func contra(ratio float64, format string, args ...any) evidence {
	return evidence{ratio: ratio, contra: fmt.Sprintf(format, args...)}
}

func unknown(ask string) evidence { return evidence{ratio: 1, ask: ask} }

// never is of a cause that the way of the fish shuts out.
func never() evidence { return evidence{cannotHappen: true} }

// above weighs a number that speaks for a cause from high on and against it up to low.
func above(v *float64, low, high, ratio float64, ask, format string) evidence {
	switch {
	case v == nil:
		return unknown(ask)
	case *v >= high:
		return pro(ratio, format, *v)
	case *v <= low:
		return contra(1/ratio, format, *v)
	}
	share := (*v - low) / (high - low) // between the two its logarithm grows evenly
	if ratio = math.Exp(math.Log(ratio) * (2*share - 1)); ratio < 1 {
		return contra(ratio, format, *v)
	}
	return pro(ratio, format, *v)
}

// cause is a row of the table.
type cause struct {
	id, name string
	step     Step
	makes    map[Word]float64 // how often it makes fish so, against the other causes
	says     func(Facts) evidence
}

func policy(id, bad string, ratio float64, ask string) func(Facts) evidence {
	return func(f Facts) evidence {
		switch choice := f.Policies[id]; choice {
		case "":
			return unknown(ask)
		case bad:
			return pro(ratio, "the bench left it so")
		}
		return contra(1/ratio, "the bench took it off")
	}
}

// causes are all, in the order of the fish's way.
var causes = []cause{
	{"unbled", "Not bled, or bled late", Catch, map[Word]float64{Strong: 3, Fishy: 2, Blood: 5}, func(f Facts) evidence {
		switch {
		case f.Bled == nil && f.BledMinutes == nil:
			return unknown("whether it was bled, and how soon")
		case f.Bled != nil && !*f.Bled:
			return pro(6, "it was not bled")
		case f.BledMinutes == nil:
			return unknown("how soon it was bled")
		}
		return above(f.BledMinutes, 30, 45, 6, "", "bled %.0f min after its death; within 30 it stains little")
	}},
	{"late-ice", "Late on ice", Catch, map[Word]float64{Fishy: 3, Strong: 1.5, Sour: 1, Soggy: 1.5}, func(f Facts) evidence {
		return above(f.IceHours, 1, 6, 4, "how soon it lay on ice", "on ice %.1f h after its death")
	}},
	{"guts", "Gutted late", Catch, map[Word]float64{Strong: 1, Sour: 1.2, Soggy: 2}, func(f Facts) evidence {
		return above(f.GuttedHours, 3, 18, 4, "when it was gutted", "gutted %.0f h after its death")
	}},
	{"fought", "Flesh burnt in a long fight", Catch, map[Word]float64{Chalky: 2.5, Soggy: 1.5, Dry: 0.5}, func(f Facts) evidence {
		switch {
		case !f.BigTuna:
			return never()
		case f.Fought == nil:
			return unknown("how long it fought")
		case *f.Fought:
			return pro(4, "it fought for long")
		}
		return contra(0.3, "it was killed calm")
	}},
	{"papers", "Older than its papers", Supplier, map[Word]float64{Fishy: 2.5, Strong: 1.5, Sour: 2}, func(f Facts) evidence {
		return above(f.OlderBy, 0.5, 2.5, 4, "what its signs say: nobody inspected it", "its signs read %.1f days older than its papers")
	}},
	{"old", "Near the end of its fresh life", Storage, map[Word]float64{Fishy: 4, Sour: 4, Strong: 2, Soggy: 1.5, Dry: 0.5},
		func(f Facts) evidence {
			if f.Spent == nil {
				return unknown("how old it was")
			}
			percent := 100 * *f.Spent
			return above(&percent, 40, 85, 6, "", "%.0f %% of its fresh days were spent")
		}},
	{"ammonia", "Ammonia, as sharks and rays make it", Storage, map[Word]float64{Strong: 5, Fishy: 1.5}, func(f Facts) evidence {
		switch {
		case !f.SharkOrRay:
			return never()
		case f.Spent == nil:
			return unknown("how old it was")
		}
		percent := 100 * *f.Spent
		return above(&percent, 25, 50, 5, "", "a shark or ray with %.0f %% of its fresh days spent")
	}},
	{"warm", "Hours out of the cold", Storage, map[Word]float64{Fishy: 2, Sour: 2.5, Soggy: 1}, func(f Facts) evidence {
		return above(f.WarmHours, 0.3, 2, 4, "how long it was out of the cold", "%.1f h out of the cold in the kitchen")
	}},
	{"melt", "Lay in melt water", Storage, map[Word]float64{Soggy: 3, Fishy: 0.7}, func(f Facts) evidence {
		switch {
		case f.MeltWater == nil:
			return unknown("how it lay when it came")
		case *f.MeltWater:
			return pro(4, "its ice had melted around it")
		}
		return contra(0.5, "it came well iced")
	}},
	{"aged", "Aged for long", Storage, map[Word]float64{Strong: 2.5, Dry: 2, Tough: 0.7}, func(f Facts) evidence {
		if f.AgedDays == 0 {
			return never()
		}
		return above(&f.AgedDays, 5, 14, 4, "", "it hung for %.0f days")
	}},
	{"slow-freezing", "Frozen slowly", Freezing, map[Word]float64{Dry: 2.5, Soggy: 2, Stringy: 2, Tough: 1, Chalky: 0.5},
		func(f Facts) evidence {
			if !f.WasFrozen {
				return never()
			}
			return above(f.FreezeHours, 2, 6, 4, "how quickly it was frozen", "%.1f h from 0 to −5 °C; quick is two")
		}},
	{"rancid", "Frozen too long or too warm", Freezing, map[Word]float64{Strong: 2, Dry: 2.5, Stringy: 1.5, Tough: 1.5, Chalky: 0.5},
		func(f Facts) evidence {
			switch {
			case !f.WasFrozen:
				return never()
			case f.FrozenSpent == nil:
				return unknown("how long and how cold it was frozen")
			}
			percent, ratio := 100**f.FrozenSpent, 6.0
			if f.Oily {
				ratio = 9
			}
			return above(&percent, 40, 100, ratio, "", "%.0f %% of its frozen life was spent")
		}},
	{"refrozen", "Thawed in part and frozen again", Freezing, map[Word]float64{Soggy: 3, Dry: 2, Stringy: 2, Tough: 1},
		func(f Facts) evidence {
			if !f.Refrozen {
				return never()
			}
			return pro(5, "it had begun to thaw, and went back")
		}},
	{"drip", "Lost its water in the thaw", Thawing, map[Word]float64{Dry: 2.5, Stringy: 1.5, Soggy: 1}, func(f Facts) evidence {
		switch {
		case !f.WasFrozen:
			return never()
		case f.DripShare == nil:
			return unknown("how much it dripped: nobody weighed it")
		}
		percent := 100 * *f.DripShare
		return above(&percent, 2, 5, 5, "", "%.1f %% of it dripped out")
	}},
	{"thaw-warm", "Thawed warm or in water", Thawing, map[Word]float64{Soggy: 2.5, Dry: 1, Fishy: 1}, func(f Facts) evidence {
		switch {
		case !f.WasFrozen:
			return never()
		case f.ThawInWater:
			return pro(3, "it thawed in water")
		}
		return above(f.ThawMediumC, 2, 8, 3, "how it was thawed", "it thawed at %.0f °C")
	}},
	{"half-thawed", "Not free of ice when it was cooked", Thawing, map[Word]float64{ColdCore: 4, Soggy: 0.5}, func(f Facts) evidence {
		switch {
		case !f.WasFrozen:
			return never()
		case f.ThawedHours == nil:
			return unknown("whether it was felt to be free of ice")
		case *f.ThawedHours < 0:
			return pro(6, "it was not free of ice yet")
		case *f.ThawedHours < 2:
			return pro(2, "it was free of ice for %.1f h only", *f.ThawedHours)
		}
		return contra(0.2, "it was free of ice %.0f h before", *f.ThawedHours)
	}},
	{"bloodline", "Bloodline left in", Bench, map[Word]float64{Strong: 2.5, Fishy: 2.5, Blood: 1}, func(f Facts) evidence {
		ratio := 4.0
		if f.Oily {
			ratio = 6
		}
		if f.Policies["bloodline"] == "convenient" {
			return pro(1.5, "it was cut off where it was easy")
		}
		return policy("bloodline", "left", ratio, "whether the bloodline was cut out")(f)
	}},
	{"membrane", "Membrane left on", Bench, map[Word]float64{Tough: 1.5, Stringy: 2, Strong: 0.7}, policy("membrane", "left", 5,
		"whether the membrane was taken off")},
	{"belly", "Belly flap left on", Bench, map[Word]float64{Strong: 1.2, Fishy: 1, Bone: 0.5}, policy("belly_flap", "kept", 3,
		"whether the belly flap was trimmed")},
	{"pin-bones", "Pin bones left in", Bench, map[Word]float64{Bone: 5}, func(f Facts) evidence {
		switch {
		case f.Policies["pin_bones"] == "left":
			return pro(6, "they were left in")
		case f.Boneless != nil && *f.Boneless:
			return contra(0.3, "a finger went along the seam of each piece")
		case f.Boneless != nil:
			return pro(3, "nobody felt for them")
		}
		return unknown("whether bones were felt for")
	}},
	{"ribs", "Ribs cut through", Bench, map[Word]float64{Bone: 2.5}, policy("ribs", "through", 4, "how it was filleted")},
	{"stiff", "Cut while it was stiff", Bench, map[Word]float64{Tough: 3, Dry: 1.5, Stringy: 1}, func(f Facts) evidence {
		switch {
		case f.CutStiff == nil:
			return unknown("whether it was stiff when it was cut")
		case *f.CutStiff:
			return pro(5, "it was in rigor when it was cut")
		}
		return contra(0.2, "rigor was over, or had not begun")
	}},
	{"acid", "Too long in acid", Preparing, map[Word]float64{Chalky: 5, Tough: 1.5, Dry: 1, Sour: 2}, tooLong("acid_cured")},
	{"salt", "Too long in salt", Preparing, map[Word]float64{Dry: 3, Stringy: 2.5, Tough: 2}, tooLong("salted")},
	{"marinade", "Too long in its marinade", Preparing, map[Word]float64{Soggy: 3, Sour: 1}, tooLong("marinated")},
	{"overcooked", "Cooked too far", Cooking, map[Word]float64{Dry: 4, Stringy: 3, Chalky: 3, Tough: 2.5}, func(f Facts) evidence {
		if f.Raw {
			return never()
		}
		return above(f.CookedC, 55, 68, 5, "its core temperature when it was cooked", "core temperature %.0f °C")
	}},
	{"undercooked", "Not heated through", Cooking, map[Word]float64{ColdCore: 5}, func(f Facts) evidence {
		switch {
		case f.Raw:
			return never()
		case f.CookedC == nil:
			return unknown("its core temperature when it was cooked")
		case *f.CookedC < 50:
			return pro(5, "core temperature %.0f °C", *f.CookedC)
		case *f.CookedC >= 60:
			return contra(0.2, "core temperature %.0f °C", *f.CookedC)
		}
		return evidence{ratio: 1}
	}},
	{"thick", "A thick piece", Cooking, map[Word]float64{ColdCore: 1.5}, func(f Facts) evidence {
		if f.Raw {
			return never()
		}
		return above(f.PieceG, 180, 280, 3, "what a piece weighed", "a piece weighed %.0f g")
	}},
	{"reheated", "Cooked ahead and heated again", Cooking, map[Word]float64{Dry: 2, Tough: 1, ColdCore: 3, Stringy: 1},
		func(f Facts) evidence {
			if !f.CookedAhead {
				return never()
			}
			return pro(3, "it was cooked ahead and chilled")
		}},
}

// tooLong weighs how long fish was held in a method against the hours that it keeps so.
func tooLong(id string) func(Facts) evidence {
	m, _ := preparing.Get(id)
	return func(f Facts) evidence {
		switch {
		case f.Method != id:
			return never()
		case f.PreparedHours == nil:
			return unknown("how long it lay so")
		case *f.PreparedHours > m.Hours:
			return pro(8, "%.0f h in it; it keeps %.0f", *f.PreparedHours, m.Hours)
		case *f.PreparedHours > m.Hours/2:
			return pro(3, "%.0f h in it, of at most %.0f", *f.PreparedHours, m.Hours)
		}
		return contra(0.5, "%.1f h in it, of at most %.0f", *f.PreparedHours, m.Hours)
	}
}

// Trace ranks the causes of a word by the record of the fish, the likeliest first; those that its way shuts out are left out.
func Trace(w Word, f Facts) []Cause {
	var list []Cause
	sum := 0.0
	for _, c := range causes {
		e := c.says(f)
		share := c.makes[w] * e.ratio
		if share == 0 || e.cannotHappen {
			continue
		}
		list = append(list, Cause{ID: c.id, Name: c.name, Step: c.step, Share: share, For: e.pro, Against: e.contra, Ask: e.ask})
		sum += share
	}
	for i := range list {
		list[i].Share /= sum
	}
	slices.SortStableFunc(list, func(a, b Cause) int { return cmp.Compare(b.Share, a.Share) })
	return list
}

// Known returns the cause with an id, without its evidence; false for none.
func Known(id string) (Cause, bool) {
	i := slices.IndexFunc(causes, func(c cause) bool { return c.id == id })
	if i < 0 {
		return Cause{}, false
	}
	return Cause{ID: id, Name: causes[i].name, Step: causes[i].step}, true
}
