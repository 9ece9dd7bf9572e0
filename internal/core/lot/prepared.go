package lot

import (
	"slices"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/preparing"
)

// Prepared says that the lot was prepared ahead, raw: it keeps so long and no longer.
type Prepared struct {
	Method    string     `json:"method"`              // of preparing.Methods
	With      string     `json:"with,omitempty"`      // what went in
	Allergens []string   `json:"allergens,omitempty"` // of that, of preparing.Allergens
	UseBy     *time.Time `json:"use_by,omitempty"`    // the earliest of what went in; nil for none before its own hours end
	Note      string     `json:"note,omitempty"`
}

// KeepsTo is when its hours end that begin at a time.
func (p Prepared) KeepsTo(at time.Time) time.Time {
	m, _ := preparing.Get(p.Method)
	end := at.Add(time.Duration(m.Hours * float64(time.Hour)))
	if p.UseBy != nil && p.UseBy.Before(end) {
		return *p.UseBy
	}
	return end
}

func (p Prepared) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch {
		case before.Hold != "":
			bad.Add("lot", "is on hold: %s", before.Hold)
		case before.Ageing() != nil:
			bad.Add("lot", "hangs in the ageing cabinet: take it out and weigh it first")
		case before.Frozen() && !before.Thawing():
			bad.Add("lot", "is frozen: thaw it first")
		}
	}
	if _, ok := preparing.Get(p.Method); !ok {
		bad.Add("method", "say how it was prepared")
	}
	checkAllergens(p.Allergens, bad)
	if p.UseBy != nil && p.UseBy.Before(at) {
		bad.Add("use_by", "is over already")
	}
	for field, text := range map[string]string{"with": p.With, "note": p.Note} {
		if invalid.TooLong(text, 500) {
			bad.Add(field, "is longer than 500 characters")
		}
	}
}

// checkAllergens adds what is none of a list.
func checkAllergens(list []string, bad *invalid.Errors) {
	for _, a := range list {
		if !slices.Contains(preparing.Allergens, a) {
			bad.Add("allergens", "%q is not known", a)
		}
	}
}

// Asks implements Gated: what nobody may cook is not prepared.
func (p Prepared) Asks() Gate { return GateCook }

func (p Prepared) Apply(s *State, e Event) {
	s.Preparations = append(s.Preparations, Step[Prepared]{p, e.HappenedAt, e.ID})
}

// Allergens are those of all that went in, in the order of preparing.Allergens, the fish itself left out.
func (s *State) Allergens() []string {
	var list []string
	for _, a := range preparing.Allergens {
		if slices.ContainsFunc(s.Preparations, func(p Step[Prepared]) bool { return slices.Contains(p.Data.Allergens, a) }) ||
			s.Stocked != nil && slices.Contains(s.Stocked.Data.Allergens, a) {
			list = append(list, a)
		}
	}
	return list
}
