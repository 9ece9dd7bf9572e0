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

func (p Cooked) Check(before *State, at time.Time, bad *invalid.Errors) {
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
	if unit.CheckCookedCelsius(p.CoreC) != nil {
		bad.Add("core_celsius", "%v", unit.ErrCookedRange)
	}
}

// Asks implements Gated: cooking lifts no stop, since histamine and toxins stand heat.
func (Cooked) Asks() Gate { return GateCook }

// Judge implements Judged.
func (p Cooked) Judge(_ *State, f Facts, _ time.Time, bad *invalid.Errors) {
	if limit := f.Profile.Parasite.CookC; p.CoreC < limit {
		bad.Add("core_celsius", "%.1f °C: cook on to %.0f °C for %s (%s)", p.CoreC, limit, f.Profile.Parasite.CookFor,
			f.Profile.Name)
	}
}

func (p Cooked) Apply(s *State, e Event) { s.Cooked = &Step[Cooked]{p, e.HappenedAt, e.ID} }
