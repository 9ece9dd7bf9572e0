// Package safety holds the rules that stop the kitchen: they never only warn
// and never average. A [Profile] is one set of limits, as data; local codes go
// first, and each screen that applies a limit names the profile.
package safety

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"time"

	"leancatch/internal/core/refs"
	"leancatch/internal/core/species"
)

// Profile is a set of temperature limits, °C.
type Profile struct {
	ID            string         `json:"id"`
	Name          string         `json:"name"`
	Source        refs.Cited     `json:"source"`
	ReceiveMaxC   float64        `json:"receive_max_c"`           // core of chilled fish at receipt
	ReceiveAgain  *AgainRules    `json:"receive_again,omitempty"` // nil where warmer fish stops at once
	HistamineMaxC float64        `json:"histamine_max_c"`         // as ReceiveMaxC for histamine formers, at receipt and after
	ChilledMaxC   float64        `json:"chilled_max_c"`           // kept chilled
	FrozenMaxC    float64        `json:"frozen_max_c"`            // core of frozen fish at receipt
	Grades        GradeRules     `json:"grades"`
	OutOfCold     OutOfColdRules `json:"out_of_cold"`
	Thawed        ThawedRules    `json:"thawed"`
	Cut           CutRules       `json:"cut"`
	// waters where ciguatera occurs, as people name them (from memory: no published list is cited)
	CiguateraAreas []string `json:"ciguatera_areas"`
	ThawFridgeC    float64  `json:"thaw_fridge_max_c"` // around fish that thaws in the fridge
	ThawWater      string   `json:"thaw_water"`        // what is allowed in water, in words
	// ReducedOxygenChilled allows a kitchen to pack raw fish without oxygen and
	// keep it chilled.
	ReducedOxygenChilled bool `json:"reduced_oxygen_chilled"`
	// ReducedOxygenDays is for how many days in all raw fish may lie unfrozen in such a pack; 0 where
	// the rules name none.
	ReducedOxygenDays float64 `json:"reduced_oxygen_days,omitempty"`
	// Water is ThawWater in figures.
	Water    WaterRules    `json:"water"`
	Parasite ParasiteRules `json:"parasite"`
	Cooling  CoolingRules  `json:"cooling"`
	Keep     KeepRules     `json:"keep"`
}

// KeepRules are for how long records stay.
type KeepRules struct {
	Source       refs.Cited `json:"source"`
	SafetyMonths int        `json:"safety_months"` // temperatures, deviations, checks
	TraceMonths  int        `json:"trace_months"`  // where fish came from and went to
	ParasiteDays int        `json:"parasite_days"` // after the fish was served or sold
}

// LotMonths is for how many months the records of a lot stay: they are of all these kinds.
func (r KeepRules) LotMonths() int {
	return max(r.SafetyMonths, r.TraceMonths, (r.ParasiteDays+29)/30)
}

// LotBefore is the time before which the last of a lot lies whose records may go; SafetyBefore that of other records.
func (r KeepRules) LotBefore(now time.Time) time.Time    { return now.AddDate(0, -r.LotMonths(), 0) }
func (r KeepRules) SafetyBefore(now time.Time) time.Time { return now.AddDate(0, -r.SafetyMonths, 0) }

// AgainRules are for fish a little warmer than the limit at its receipt: up to MaxC it is iced
// and measured again within WithinHours (house).
type AgainRules struct {
	MaxC        float64 `json:"max_c"`
	WithinHours float64 `json:"within_hours"`
}

// CoolingRules are the limits of fish that was cooked and is chilled. They count
// from the cooking, which is stricter than counting from 57 °C.
type CoolingRules struct {
	Source     refs.Cited `json:"source"`
	FirstC     float64    `json:"first_c"` // the core is there within FirstHours
	FirstHours float64    `json:"first_hours"`
	ThenC      float64    `json:"then_c"` // and there within ThenHours more
	ThenHours  float64    `json:"then_hours"`
	KeepDays   int        `json:"keep_days"` // the day it is made is the first
}

// OutOfColdRules are how long fish may be above AboveC in all since the kitchen took charge of
// it: raw, frozen or aged until RawHours; cooked by CookHours, and within CookGraceHours from then
// on; discarded after StopHours, and after HotStopHours where any of it was above HotC. Fish that
// itself was above VeryHotC for VeryHotHours after it was chilled is discarded too. All
// temperatures are among coldchain.Limits.
type OutOfColdRules struct {
	Source         refs.Cited `json:"source"`
	AboveC         float64    `json:"above_c"`
	RawHours       float64    `json:"raw_hours"`
	CookHours      float64    `json:"cook_hours"`
	CookGraceHours float64    `json:"cook_grace_hours"`
	StopHours      float64    `json:"stop_hours"`
	HotC           float64    `json:"hot_c"`
	HotStopHours   float64    `json:"hot_stop_hours"`
	VeryHotC       float64    `json:"very_hot_c"`
	VeryHotHours   float64    `json:"very_hot_hours"`
}

// GradeRules are how long a record of each grade answers for the time after and before it (house,
// but for what the sources of the profile say).
type GradeRules struct {
	LoggedMinutes       float64 `json:"logged_minutes"`        // between the readings of an instrument
	LoggedFrozenMinutes float64 `json:"logged_frozen_minutes"` // the same of frozen fish
	CheckedHours        float64 `json:"checked_hours"`         // between the readings of people
	IcedHours           float64 `json:"iced_hours"`            // between two looks at the ice
	MaximumHours        float64 `json:"maximum_hours"`         // between two readings of a min/max thermometer
}

// ThawedRules are how long fish keeps once it is free of ice.
type ThawedRules struct {
	Source    refs.Cited `json:"source"`
	RawHours  float64    `json:"raw_hours"`
	CookHours float64    `json:"cook_hours"`
}

// CutRules are how long cut fish is served raw.
type CutRules struct {
	Source   refs.Cited `json:"source"`
	RawHours float64    `json:"raw_hours"`
}

// CiguateraArea is the area of the profile that waters belong to, as they were written down;
// "" for none.
func (p Profile) CiguateraArea(waters string) string {
	waters = strings.ToLower(waters)
	for _, area := range p.CiguateraAreas {
		if strings.Contains(waters, area) {
			return area
		}
	}
	return ""
}

// WaterRules are the limits of thawing in water.
type WaterRules struct {
	Local         bool    `json:"local"`          // the profile leaves it to local rules: the figures are house
	RunningOnly   bool    `json:"running_only"`   // running over, not still
	MaxC          float64 `json:"max_c"`          // of the water
	ChangeMinutes int     `json:"change_minutes"` // of still water; 0 where it runs
	// No part of fish to be cooked may be above WarmC for longer than WarmHours,
	// preparation included.
	WarmC     float64 `json:"warm_c"`
	WarmHours float64 `json:"warm_hours"`
	// RawMaxC is the warmest that any part of fish to be served raw may get; nil
	// where fish from water is not served raw.
	RawMaxC *float64 `json:"raw_max_c,omitempty"`
}

// Caution stands wherever a limit of a profile is shown.
const Caution = "Local codes go first."

// DefaultProfile is the strictest.
const DefaultProfile = "house-strict"

// ReceiveLimit is the highest core temperature, °C, at which chilled fish of
// the species may be received.
func (p Profile) ReceiveLimit(s species.Species) float64 {
	if s.HistamineRules() {
		return min(p.ReceiveMaxC, p.HistamineMaxC)
	}
	return p.ReceiveMaxC
}

// AgainLimit is the highest core temperature at receipt, °C, with which fish of the species may be
// iced and measured again, within how long: that of ReceiveLimit and no time where the rules know
// no second measurement.
func (p Profile) AgainLimit(s species.Species) (float64, time.Duration) {
	if p.ReceiveAgain == nil {
		return p.ReceiveLimit(s), 0
	}
	return max(p.ReceiveLimit(s), p.ReceiveAgain.MaxC), time.Duration(p.ReceiveAgain.WithinHours * float64(time.Hour))
}

// ChilledLimit is the highest temperature, °C, at which fish of the species is kept chilled.
func (p Profile) ChilledLimit(s species.Species) float64 {
	if s.HistamineRules() {
		return min(p.ChilledMaxC, p.HistamineMaxC)
	}
	return p.ChilledMaxC
}

//go:embed profiles.json
var profilesJSON []byte

var profiles = sync.OnceValue(func() []Profile {
	var list []Profile
	if err := json.Unmarshal(profilesJSON, &list); err != nil {
		panic(fmt.Sprintf("safety: embedded profiles: %v", err))
	}
	return list
})

// checksApart is how far apart, h, a check at opening and one at closing lie in a kitchen without
// loggers (house).
const checksApart = 12

// NeedsLoggers reports whether a check at opening and one at closing leave hours that the rules know
// nothing of: they are for kitchens in which every place logs.
func (p Profile) NeedsLoggers() bool { return p.Grades.CheckedHours < checksApart }

// Profiles lists the sets of rules. The caller must not change it.
func Profiles() []Profile { return profiles() }

// GetProfile returns the profile with the id.
func GetProfile(id string) (Profile, bool) {
	for _, p := range profiles() {
		if p.ID == id {
			return p, true
		}
	}
	return Profile{}, false
}
