package ageing

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"slices"
	"sync"

	"leancatch/internal/core/refs"
	"leancatch/internal/core/species"
)

// Policy is a way of dry ageing, as data.
type Policy struct {
	ID      string        `json:"id"`
	Name    string        `json:"name"`
	Purpose string        `json:"purpose"`
	Days    species.Range `json:"days"`
	Loss    species.Range `json:"loss"`     // shares
	Target  float64       `json:"target"`   // usual
	Skin    float64       `json:"skin"`     // at which the skin is ready
	LeastKg float64       `json:"least_kg"` // smaller fish dries through
	Source  refs.Cited    `json:"source"`
}

// The policies.
const (
	ShortDry = "short_dry"
	LongAge  = "long_age"
)

// Choice is something to be ticked or chosen, with what it is good for.
type Choice struct{ ID, Name, Why string }

// Sign is a tap of the daily check: what is fine, and what stops the ageing.
type Sign struct{ ID, Name, Fine, Stop string }

type data struct {
	Policies []Policy
	Preps    []Choice
	Hangings []Choice
	Signs    []Sign
}

//go:embed policies.json
var policiesJSON []byte

var loaded = sync.OnceValue(func() data {
	var d data
	if err := json.Unmarshal(policiesJSON, &d); err != nil {
		panic(fmt.Sprintf("ageing: embedded policies: %v", err))
	}
	return d
})

// Policies, Preps, HangingStyles and Signs list them. The caller must not change the
// lists.
func Policies() []Policy      { return loaded().Policies }
func Preps() []Choice         { return loaded().Preps }
func HangingStyles() []Choice { return loaded().Hangings }
func Signs() []Sign           { return loaded().Signs }

// GetPolicy returns the policy with the id.
func GetPolicy(id string) (Policy, bool) {
	i := slices.IndexFunc(Policies(), func(s Policy) bool { return s.ID == id })
	if i < 0 {
		return Policy{}, false
	}
	return Policies()[i], true
}

// Limits of a cabinet (common practice, no source).
const (
	LeastC, MostC   = 0.0, 3.0
	BestC           = 1.0
	LeastRH, MostRH = 0.70, 0.85
	// Warmer than WarmC, or moister than WetRH, for longer than StopHours stops
	// the ageing. (The hours of the moisture are house.)
	WarmC, WetRH = 4.0, 0.90
	StopHours    = 2.0
	// FormerC is the warmest cabinet for histamine formers, with a continuous
	// record.
	FormerC = 2.0
)
