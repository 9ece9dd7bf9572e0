// Package rigor says when a fish stiffens after death, and when that is over.
// All of it rests on one table of measured times; where the table is silent the
// answer is a range over what it does say, never a rule of its own: colder is
// later in cold-water fish, but some warm-water fish stiffen faster at 0 °C
// than at 10 °C.
package rigor

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"sync"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/species"
)

// Range is a range of hours since death.
type Range [2]float64

// Lo and Hi are its ends.
func (r Range) Lo() float64 { return r[0] }
func (r Range) Hi() float64 { return r[1] }

// Times are those of a fish at one temperature, hours since death.
type Times struct {
	Onset, End Range
	Basis      Basis
	Warning    string // "" where there is none
}

// Basis says what the times rest on.
type Basis string

// The bases, from best to worst.
const (
	Measured     Basis = "measured for this species at this temperature"
	Between      Basis = "the range of this species' measurements around it"
	OtherSpecies Basis = "the range of other species: none was measured for this one"
)

type row struct {
	Species  string     `json:"species"`
	Waters   string     `json:"waters"` // cold, temperate or warm, as the habitat of a species
	Celsius  [2]float64 `json:"celsius"`
	Stressed bool       `json:"stressed"`
	Onset    Range      `json:"onset"`
	End      Range      `json:"end"`
	Unsure   bool       `json:"unsure"` // less surely remembered
}

//go:embed table.json
var tableJSON []byte

var table = sync.OnceValue(func() (t struct {
	Source refs.Cited `json:"source"`
	Rows   []row      `json:"rows"`
}) {
	if err := json.Unmarshal(tableJSON, &t); err != nil {
		panic(fmt.Sprintf("rigor: embedded table: %v", err))
	}
	return t
})

// Source is where the table comes from.
func Source() refs.Cited { return table().Source }

// warmWater is said of fish of warm water.
const warmWater = "some warm-water fish stiffen faster at 0 °C than at 10 °C: feel the fish"

// At returns the times of a fish of the species held at a temperature from
// death on. stressed is nil where nobody knows whether it died fast and calm.
//
// Rows of the species, or where it has none, of its kin, are asked: where rows of the stress hold at the temperature, they
// answer; where it lies between two, the range spans both; where there is none
// of that stress, or it lies outside them, the range spans the nearest of any
// stress too. Where nobody knows the stress, the range spans both answers.
func At(s species.Species, celsius float64, stressed *bool) Times {
	if stressed == nil {
		yes, no := true, false
		a, b := At(s, celsius, &yes), At(s, celsius, &no)
		a.Onset, a.End = span(a.Onset, b.Onset), span(a.End, b.End)
		if a.Basis == Measured {
			a.Basis = b.Basis
		}
		return a
	}
	rows := rowsOf(func(r row) bool { return r.Species == s.ID })
	basis := Between
	if len(rows) == 0 {
		basis = OtherSpecies
		rows = kinOf(s)
	}
	var t Times
	if basis == OtherSpecies { // each kin answers; the range spans all
		t = spanOf(rows, celsius, *stressed)
		t.Basis = OtherSpecies
	} else if exact, ok := holding(rows, celsius, *stressed); ok {
		t = Times{Onset: exact.Onset, End: exact.End, Basis: Measured}
	} else {
		t = spanOf(rows, celsius, *stressed)
		t.Basis = Between
	}
	if s.Model() != coldchain.Temperate {
		t.Warning = warmWater
	}
	return t
}

// kinOf are the rows that stand for a species which has none: those of its family, else the surer ones of
// the same waters, else all of those; each only where it is of more than one species, since one row of
// another says nothing of the spread.
func kinOf(s species.Species) []row {
	family := rowsOf(func(r row) bool {
		kin, _ := species.Builtin().Get(r.Species)
		return kin.Family == s.Family && s.Family != ""
	})
	if several(family) {
		return family
	}
	waters := rowsOf(func(r row) bool { return r.Waters == s.Habitat || s.Model() == coldchain.Mixed })
	sure := slices.DeleteFunc(slices.Clone(waters), func(r row) bool { return r.Unsure })
	if several(sure) {
		return sure
	}
	return waters
}

// several reports whether rows are of more than one species.
func several(rows []row) bool {
	return slices.ContainsFunc(rows, func(r row) bool { return r.Species != rows[0].Species })
}

func rowsOf(keep func(row) bool) []row {
	var rows []row
	for _, r := range table().Rows {
		if keep(r) {
			rows = append(rows, r)
		}
	}
	return rows
}

// slack is how far from a row's temperature it still holds, K (house).
const slack = 2

func (r row) holds(celsius float64) bool {
	return celsius >= r.Celsius[0]-slack && celsius <= r.Celsius[1]+slack
}

func (r row) distance(celsius float64) float64 {
	return math.Max(0, math.Max(r.Celsius[0]-celsius, celsius-r.Celsius[1]))
}

func holding(rows []row, celsius float64, stressed bool) (row, bool) {
	for _, r := range rows {
		if r.Stressed == stressed && r.holds(celsius) {
			return r, true
		}
	}
	return row{}, false
}

// spanOf is the range over the rows nearest to the temperature on either side,
// by species and, where a species has none of the stress at it, of any stress.
func spanOf(rows []row, celsius float64, stressed bool) Times {
	var t Times
	first := true
	add := func(r row) {
		if first {
			t.Onset, t.End, first = r.Onset, r.End, false
			return
		}
		t.Onset, t.End = span(t.Onset, r.Onset), span(t.End, r.End)
	}
	seen := map[string]bool{}
	for _, r := range rows {
		if seen[r.Species] {
			continue
		}
		seen[r.Species] = true
		own := rowsOf(func(o row) bool { return o.Species == r.Species })
		if exact, ok := holding(own, celsius, stressed); ok {
			add(exact)
			continue
		}
		for _, stress := range []bool{true, false} {
			below, above := nearest(own, celsius, stress)
			if below != nil {
				add(*below)
			}
			if above != nil {
				add(*above)
			}
			if stress == stressed && below != nil && above != nil {
				break // between two of the stress itself
			}
		}
	}
	return t
}

// nearest returns the rows of a stress that lie next below and above a
// temperature; nil where there is none.
func nearest(rows []row, celsius float64, stressed bool) (below, above *row) {
	for i, r := range rows {
		if r.Stressed != stressed {
			continue
		}
		if r.Celsius[0] <= celsius && (below == nil || r.distance(celsius) < below.distance(celsius)) {
			below = &rows[i]
		}
		if r.Celsius[1] >= celsius && (above == nil || r.distance(celsius) < above.distance(celsius)) {
			above = &rows[i]
		}
	}
	return below, above
}

func span(a, b Range) Range { return Range{math.Min(a[0], b[0]), math.Max(a[1], b[1])} }

// Stay is a part of the fish's way since death, at one temperature.
type Stay struct {
	Hours, Celsius float64
}

// Stage is where a fish stands.
type Stage string

// The stages. Maybe ones are those in which the ranges allow two.
const (
	Before   Stage = "before rigor"
	Stiffens Stage = "stiffening, or about to"
	In       Stage = "in rigor"
	Passing  Stage = "in rigor, or just past it"
	Past     Stage = "past rigor"
)

// Course is what the table makes of a fish's history: hours since death.
type Course struct {
	Onset, End Range
	Stage      Stage
	Basis      Basis // the worst of those it rests on
	Warning    string
}

// Follow adds the history up. While a fish lies at a temperature whose times
// are t, it comes t⁻¹ per hour nearer to each of them; each moment is reached
// when its shares add up to 1. What lies ahead is calculated at the last stay's
// temperature. The history must not be empty; its last stay may be of no hours.
func Follow(s species.Species, stressed *bool, history []Stay) Course {
	c := Course{Basis: Measured}
	var marks [4]float64 // onset from, onset to, end from, end to: the share behind
	var at [4]float64
	hours := 0.0
	times := func(t Times) [4]float64 { return [4]float64{t.Onset[0], t.Onset[1], t.End[0], t.End[1]} }
	for i, stay := range history {
		t := At(s, stay.Celsius, stressed)
		c.Warning = t.Warning
		if t.Basis == OtherSpecies || t.Basis == Between && c.Basis == Measured {
			c.Basis = t.Basis
		}
		for m, needed := range times(t) {
			left := (1 - marks[m]) * needed // hours, at this temperature
			if marks[m] >= 1 {
				continue
			}
			if left <= stay.Hours || i == len(history)-1 {
				at[m] = hours + left
				if left <= stay.Hours {
					marks[m] = 1
					continue
				}
			}
			marks[m] += stay.Hours / needed
		}
		hours += stay.Hours
	}
	c.Onset, c.End = Range{at[0], math.Max(at[0], at[1])}, Range{at[2], math.Max(at[2], at[3])}
	switch {
	case hours < c.Onset[0]:
		c.Stage = Before
	case hours >= c.End[1]:
		c.Stage = Past
	case hours >= c.End[0]:
		c.Stage = Passing
	case hours < c.Onset[1]:
		c.Stage = Stiffens
	default:
		c.Stage = In
	}
	return c
}

// Work is something that a stage may forbid.
type Work string

// The kinds of work.
const (
	Straighten Work = "straighten"
	Fillet     Work = "fillet"
	Freeze     Work = "freeze"
)

// Ban is a work that the stage forbids.
type Ban struct {
	Work Work
	Why  string
}

// Forbids lists what a stage forbids (common practice and FAO348): stiff flesh
// tears and gapes; a fillet cut before rigor shrinks; what is frozen while it
// stiffens thaws tough and wet.
func (s Stage) Forbids() []Ban {
	switch s {
	case Before:
		return []Ban{{Fillet, "a fillet cut before rigor shrinks and hardens"}}
	case Past:
		return nil
	}
	return []Ban{{Straighten, "stiff flesh tears"}, {Fillet, "flesh in rigor tears and gapes"},
		{Freeze, "it gapes, and drips when it thaws"}}
}
