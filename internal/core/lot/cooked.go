package lot

import (
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
)

// Cooked says that the lot was cooked through and set to chill: it is raw no
// more, and what is left to watch is how it cools and its date mark.
type Cooked struct {
	CoreC float64 `json:"core_celsius"`
}

// ParCooked says that the lot was cooked in part and set to chill: it cools by the same rule, and is cooked through before
// it is served [FoodCode, 3-401.14].
type ParCooked struct {
	CoreC   float64 `json:"core_celsius"` // at the end of the first heating
	Minutes float64 `json:"minutes"`      // that the first heating took
}

// Stocked says that the lot was boiled down to stock and set to chill.
type Stocked struct {
	CoreC     float64  `json:"core_celsius"`
	WeightKg  float64  `json:"weight_kg"` // of the stock: a litre is a kilogram
	With      string   `json:"with,omitempty"`
	Allergens []string `json:"allergens,omitempty"` // of what went in, of preparing.Allergens
}

// MostParCookMinutes is how long the first heating takes at most [FoodCode, 3-401.14].
const MostParCookMinutes = 60.0

// FormStock is the form of stock.
const FormStock = "stock"

func (p Cooked) Check(before *State, at time.Time, bad *invalid.Errors) {
	if before != nil && before.ParCooked != nil {
		if onHand(before, at, bad) && before.Hold != "" {
			bad.Add("lot", "is on hold: %s", before.Hold)
		}
		cookedCore(p.CoreC, bad)
		return
	}
	toHeat(before, at, bad)
	cookedCore(p.CoreC, bad)
}

func (p ParCooked) Check(before *State, at time.Time, bad *invalid.Errors) {
	toHeat(before, at, bad)
	cookedCore(p.CoreC, bad)
	if !(p.Minutes > 0 && p.Minutes <= MostParCookMinutes) {
		bad.Add("minutes", "are above 0 and at most %.0f: what was heated for longer is cooked through, or discarded", MostParCookMinutes)
	}
}

func (p Stocked) Check(before *State, at time.Time, bad *invalid.Errors) {
	toHeat(before, at, bad)
	cookedCore(p.CoreC, bad)
	if !(p.WeightKg > 0 && p.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight_kg", "%v", unit.ErrMassRange)
	}
	checkAllergens(p.Allergens, bad)
	if invalid.TooLong(p.With, 500) {
		bad.Add("with", "is longer than 500 characters")
	}
}

// toHeat checks that raw fish may go onto the stove.
func toHeat(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		switch {
		case before.Hold != "":
			bad.Add("lot", "is on hold: %s", before.Hold)
		case before.Frozen():
			bad.Add("lot", "is frozen: pull it to cook first, from frozen if you like")
		case before.Ageing() != nil:
			bad.Add("lot", "is ageing: take it out first")
		}
	}
}

func cookedCore(celsius float64, bad *invalid.Errors) {
	if unit.CheckCookedCelsius(celsius) != nil {
		bad.Add("core_celsius", "%v", unit.ErrCookedRange)
	}
}

// Asks implements Gated: cooking lifts no stop, since histamine and toxins stand heat.
func (Cooked) Asks() Gate    { return GateCook }
func (ParCooked) Asks() Gate { return GateCook }
func (Stocked) Asks() Gate   { return GateStock }

// Judge implements Judged.
func (p Cooked) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	f.cookedThrough(p.CoreC, bad)
}

func (p Stocked) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	f.cookedThrough(p.CoreC, bad)
}

func (p ParCooked) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	if !f.ParCook {
		bad.Add("lot", "the kitchen's written procedure for par-cooking is not signed: a manager signs it under Settings")
	}
}

// cookedThrough adds an error for a core at which parasites live on.
func (f Facts) cookedThrough(celsius float64, bad *invalid.Errors) {
	if limit := f.Profile.Parasite.CookC; celsius < limit {
		bad.Add("core_celsius", "%.1f °C: cook on to %.0f °C for %s (%s)", celsius, limit, f.Profile.Parasite.CookFor, f.Profile.Name)
	}
}

func (p Cooked) Apply(s *State, e Event) {
	s.heated(p.CoreC, e)
	s.ParCooked = nil
}

func (p ParCooked) Apply(s *State, e Event) {
	s.heated(p.CoreC, e)
	s.ParCooked = &Step[ParCooked]{p, e.HappenedAt, e.ID}
}

func (p Stocked) Apply(s *State, e Event) {
	s.heated(p.CoreC, e)
	s.Stocked = &Step[Stocked]{p, e.HappenedAt, e.ID}
	if !s.inheriting { // a part of it has its own weight
		s.Form, s.Count, s.WeightKg = FormStock, 1, p.WeightKg
	}
}

// heated begins the cooling of a lot.
func (s *State) heated(coreC float64, e Event) {
	if s.HeatedAt.IsZero() {
		s.HeatedAt = e.HappenedAt
	}
	s.Cooked, s.Cooled = &Step[Cooked]{Cooked{CoreC: coreC}, e.HappenedAt, e.ID}, nil
}

// servedThrough checks that par-cooked fish was cooked through before somebody ate it.
func (f Facts) servedThrough(before *State, use EndUse, coreC *float64, bad *invalid.Errors) {
	switch {
	case before.ParCooked == nil || use != UsedCooked && use != UsedStaff:
	case coreC == nil:
		bad.Add("core_celsius", "was par-cooked: give the core temperature to which it was cooked through")
	default:
		f.cookedThrough(*coreC, bad)
	}
}
