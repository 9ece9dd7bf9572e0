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

// Kind implements Payload.
func (Cooked) Kind() Kind { return KindCooked }

func (p Cooked) check(before *State, at time.Time, bad *invalid.Errors) {
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
