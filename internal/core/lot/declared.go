package lot

import (
	"time"

	"leancatch/internal/core/invalid"
)

// FishOrigin says whether fish was caught or farmed.
type FishOrigin string

// The origins; the zero FishOrigin is not known.
const (
	Wild   FishOrigin = "wild"
	Farmed FishOrigin = "farmed"
)

// Declared is what the papers say of where the fish comes from, as it was found out after
// its receipt. What it leaves empty stays as it was declared before.
type Declared struct {
	Origin     FishOrigin `json:"origin,omitempty"`
	ReefOrigin string     `json:"reef_origin,omitempty"` // the waters that a reef fish was caught in
	Reason     string     `json:"reason"`                // by which paper it is known
}

func (p Declared) Check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	checkOrigin(p.Origin, p.ReefOrigin, bad)
	if p.Origin == "" && p.ReefOrigin == "" {
		bad.Add("origin", "say whether it was caught or farmed, or in which waters")
	}
	reason(p.Reason, bad)
}

func checkOrigin(o FishOrigin, reef string, bad *invalid.Errors) {
	if o != "" && o != Wild && o != Farmed {
		bad.Add("origin", "must be wild or farmed")
	}
	if invalid.TooLong(reef, 120) {
		bad.Add("reef_origin", "is longer than 120 characters")
	}
}

func (p Declared) Apply(s *State, _ Event) {
	if p.Origin == "" {
		p.Origin = s.Declared.Origin
	}
	if p.ReefOrigin == "" {
		p.ReefOrigin = s.Declared.ReefOrigin
	}
	s.Declared = p
}
