package lot

import (
	"slices"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
)

// Pack is how fish is packed.
type Pack string

// The packs.
const (
	PackAir    Pack = "air"    // open, or in a box with a lid
	PackFilm   Pack = "film"   // wrapped or tray-sealed in film
	PackCling  Pack = "cling"  // the kitchen's own cling film, at most two layers, not sealed
	PackVacuum Pack = "vacuum" // evacuated, or under gas
	PackIce    Pack = "ice"    // in drained ice
)

// Packs lists them.
var Packs = []Pack{PackAir, PackFilm, PackCling, PackVacuum, PackIce}

// Name is the pack in words.
func (p Pack) Name() string {
	return map[Pack]string{PackAir: "Open, in air", PackFilm: "In film", PackCling: "In our own cling film", PackVacuum: "Vacuum or gas",
		PackIce: "In drained ice"}[p]
}

// Wraps reports whether it closes around the fish, and comes off before that thaws.
func (p Pack) Wraps() bool { return p == PackFilm || p == PackCling || p == PackVacuum }

// Packing is how a lot is packed.
type Packing struct {
	Pack Pack `json:"pack"`
	// oxygen transmission of the film, cm³/(m²·24 h) at 24 °C; nil where nobody knows
	OTR   *float64 `json:"film_otr,omitempty"`
	Tight bool     `json:"tight,omitempty"` // wrapped again, or stacked tight: the film cannot breathe
}

// Reduced reports whether the pack keeps oxygen out: film of which nobody knows
// that it breathes does.
func (p Packing) Reduced() bool {
	switch p.Pack {
	case PackVacuum:
		return true
	case PackFilm:
		return p.Tight || p.OTR == nil || *p.OTR < safety.AirFilmOTR
	}
	return false
}

func (p Packing) check(bad *invalid.Errors) {
	if !slices.Contains(Packs, p.Pack) {
		bad.Add("pack", "choose a pack")
	}
	if p.OTR != nil && p.Pack != PackFilm {
		bad.Add("film_otr", "is asked of film alone")
	} else if p.OTR != nil && !(*p.OTR > 0 && *p.OTR < 1e6) {
		bad.Add("film_otr", "must be above 0 and below 1 000 000 cm³/(m²·24 h)")
	}
}

// Packed says how the lot is packed from then on. To open a pack is to pack in
// air.
type Packed struct {
	Packing
	Note string `json:"note,omitempty"`
}

func (p Packed) Check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	p.Packing.check(bad)
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// Judge implements Judged.
func (p Packed) Judge(before *State, f Facts, _ time.Time, bad *invalid.Errors) {
	if p.Reduced() && !before.Frozen() && !f.Profile.ReducedOxygenChilled {
		bad.Add("pack",
			"raw fish is not packed without oxygen to be kept chilled, only frozen before, during and after "+
				"(%s); film that breathes at %.0f cm³/(m²·24 h) or more counts as air", f.Profile.Name, safety.AirFilmOTR)
	}
}

func (p Packed) Apply(s *State, e Event) { s.pack(p.Packing, e.HappenedAt) }

// PackStay is the time that a lot spends in one pack. To is zero for the last one.
type PackStay struct {
	Packing
	From, To time.Time
}

func (s *State) pack(p Packing, at time.Time) {
	if n := len(s.Packs); n > 0 {
		s.Packs[n-1].To = at
	}
	s.Packs = append(s.Packs, PackStay{Packing: p, From: at})
}

// Packing is how the lot is packed now; false where nobody said.
func (s *State) Packing() (Packing, bool) {
	if len(s.Packs) == 0 {
		return Packing{}, false
	}
	return s.Packs[len(s.Packs)-1].Packing, true
}
