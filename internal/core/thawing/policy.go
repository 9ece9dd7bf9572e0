// Package thawing plans how frozen fish is thawed, back from the hour of
// service: which way, when to start at the latest, what to do when; and it
// refuses what harms, with the reason.
package thawing

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"leancatch/internal/core/refs"
)

// Method is a way to thaw.
type Method struct {
	ID         string     `json:"id"`
	Name       string     `json:"name"`
	H          float64    `json:"h"`            // surface coefficient, W/(m²·K)
	RunningH   float64    `json:"running_h"`    // the same where water runs; 0 where it does not apply
	MediumC    float64    `json:"medium_c"`     // around the fish, usual, °C
	HoldHours  float64    `json:"hold_hours"`   // that it keeps thawed; 0: cook at once
	MostMM     float64    `json:"most_mm"`      // thickest piece; 0 for any
	CookMin    float64    `json:"cook_minutes"` // of what is cooked from frozen
	How, Usual string     //
	Then       string     `json:"then"` // what may become of it
	Source     refs.Cited `json:"source"`
}

// The methods.
const (
	Fridge     = "fridge"
	Water      = "water"
	CookFrozen = "cook_frozen"
)

// ForbiddenMethod is a way in which fish is never thawed.
type ForbiddenMethod struct{ ID, Name, Why string }

// Policy is a kitchen's habit, as data: which methods in which order, and with
// which figures.
type Policy struct {
	ID          string     `json:"id"`
	Name        string     `json:"name"`
	Order       []string   `json:"order"` // of methods: the first that is in time and allowed
	FridgeC     float64    `json:"fridge_c"`
	WaterC      float64    `json:"water_c"`
	HoldHours   float64    `json:"hold_hours"`   // what was thawed in the fridge
	PrepMinutes float64    `json:"prep_minutes"` // core check, patting dry
	OutMinutes  float64    `json:"out_minutes"`  // out of the cold before the pan: it counts
	Source      refs.Cited `json:"source"`
}

// DefaultPolicy is the one where a kitchen chose none.
const DefaultPolicy = "fridge-first"

//go:embed policies.json
var policiesJSON []byte

type data struct {
	Methods  []Method
	Never    []ForbiddenMethod
	Policies []Policy
}

var loaded = sync.OnceValue(func() data {
	var d data
	if err := json.Unmarshal(policiesJSON, &d); err != nil {
		panic(fmt.Sprintf("thawing: embedded policies: %v", err))
	}
	return d
})

// Methods, ForbiddenMethods and Policies list them. The caller must not change the lists.
func Methods() []Method                   { return loaded().Methods }
func ForbiddenMethods() []ForbiddenMethod { return loaded().Never }
func Policies() []Policy                  { return loaded().Policies }

// GetMethod returns the method with the id.
func GetMethod(id string) (Method, bool) {
	for _, m := range Methods() {
		if m.ID == id {
			return m, true
		}
	}
	return Method{}, false
}

// GetPolicy returns the policy with the id; the default one where there is none.
func GetPolicy(id string) (Policy, bool) {
	for _, s := range Policies() {
		if s.ID == id {
			return s, true
		}
	}
	s := Policies()[0]
	return s, s.ID == id
}

// MediumC is what the policy has around the fish, °C.
func (s Policy) MediumC(method string) float64 {
	switch method {
	case Fridge:
		return s.FridgeC
	case Water:
		return s.WaterC
	}
	return 0
}

func minutes(m float64) time.Duration { return time.Duration(m * float64(time.Minute)) }
func hours(h float64) time.Duration   { return time.Duration(h * float64(time.Hour)) }
