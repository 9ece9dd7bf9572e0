// Package haccp holds the plan by which a kitchen keeps fish safe, as data: each step with its hazard, the limit that the rules in force
// set, how it
// is watched, what is done where it fails, who verifies it and what record of it is kept.
package haccp

import (
	"fmt"
	"slices"
	"strings"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
)

// Sources says what the usual plan rests on.
const Sources refs.Cited = "Hazards after [FDA-hazards], the form after [CXC1]; how they are watched and mended is common practice, no source, for each " +
	"kitchen to change"

// Line is a step of the plan with one of its hazards.
type Line struct {
	ID       string `json:"id"`
	Step     string `json:"step"`
	Hazard   string `json:"hazard"`
	Critical bool   `json:"critical,omitempty"` // a critical control point; else a good practice
	Limit    string `json:"limit"`              // by the rules, as it was signed; of a kitchen's own line what it wrote
	Own      string `json:"own,omitempty"`      // what the kitchen asks beyond the rules
	Watch    string `json:"watch"`              // what is watched, how, how often and by whom
	Action   string `json:"action"`             // where it fails
	Verify   string `json:"verify"`
	Record   string `json:"record"`
}

// The lines that deviations point to.
const (
	Supplier  = "supplier"
	Core      = "receiving-core"
	Histamine = "receiving-histamine"
	Waters    = "receiving-waters"
	Quality   = "receiving-quality"
	Chilled   = "chilled"
	Packs     = "packs"
	Parasites = "parasites"
	Frozen    = "frozen"
	Thawing   = "thawing"
	Ageing    = "ageing"
	Bench     = "bench"
	Allergens = "allergens"
	Cooking   = "cooking"
	Cooling   = "cooling"
	RawServed = "raw"
	Probes    = "probes"
)

// OwnPrefix begins the ids of the lines that a kitchen added.
const OwnPrefix = "own-"

// IsOwn reports whether a kitchen added the line: its limit is its own.
func (l Line) IsOwn() bool { return strings.HasPrefix(l.ID, OwnPrefix) }

// Usual is the plan that a kitchen begins with, in the order of the work, with the limits of a set of rules in °C.
func Usual(p safety.Profile) []Line {
	lines := slices.Clone(usual)
	for i := range lines {
		lines[i].Limit = lines[i].LimitBy(p, unit.CelsiusScale)
	}
	return lines
}

var usual = []Line{
	{ID: Supplier, Step: "Buying", Hazard: "Fish of unknown origin, unsafe waters or untrue papers",
		Watch:  "Approval and declarations of each supplier, when it is added and when they run out",
		Action: "Buy from another; hold what came until its papers are there",
		Verify: "A manager reads what has run out, each month", Record: "Certificates and letters"},
	{ID: Core, Step: "Receiving", Hazard: "Bacteria that grow; histamine", Critical: true,
		Watch:  "Core temperature of the warmest fish of each lot and its ice, by who receives it",
		Action: "Refuse it, or ice it and measure again where the rules allow it",
		Verify: "A second person reads the deviations, each week", Record: "Deliveries"},
	{ID: Histamine, Step: "Receiving", Hazard: "Histamine formed before it came, in tunas, mackerels and their like", Critical: true,
		Watch:  "The boat's harvest record, or the dealer's record of its way, for each lot of these species",
		Action: "Hold it until the record is there or a test of 18 fish is in order; else refuse it",
		Verify: "A second person reads the deviations, each week", Record: "Deliveries"},
	{ID: Waters, Step: "Receiving", Hazard: "Ciguatera and other poisons that no cooking ends", Critical: true,
		Watch:  "Species and waters of each lot of reef fish, as declared",
		Action: "Refuse it", Verify: "A second person reads the deviations, each week", Record: "Deliveries"},
	{ID: Quality, Step: "Receiving", Hazard: "Fish gone off; foreign matter; fish other than ordered",
		Watch:  "Inspection of a sample of each lot by its scheme",
		Action: "Refuse it or hold it, and complain to the supplier", Verify: "A manager reads the refusals, each week", Record: "Inspections"},
	{ID: Chilled, Step: "Cold storage", Hazard: "Bacteria that grow; histamine", Critical: true,
		Watch:  "Probes in every cold place, and a check at opening and closing",
		Action: "Move the fish to a place that is cold, measure its core temperature, and decide lot by lot",
		Verify: "A second person reads the deviations, each week; a manager checks the probes", Record: "Temperatures, deviations"},
	{ID: Packs, Step: "Packing", Hazard: "Clostridium botulinum in packs without oxygen", Critical: true,
		Watch:  "Time and temperature of each such pack from the packing on",
		Action: "Discard it", Verify: "A second person reads the deviations, each week", Record: "Cooling, freezing, ageing"},
	{ID: Parasites, Step: "Freezing", Hazard: "Parasites in fish to be served raw", Critical: true,
		Watch:  "Core temperature while it freezes, and the freezer's probe until the time is over",
		Action: "Freeze it on, from the beginning; else cook it", Verify: "A manager signs the certificate", Record: "Parasite records"},
	{ID: Frozen, Step: "Frozen storage", Hazard: "Thawing unseen: bacteria, and parasites that stay alive",
		Watch: "The freezer's probe", Action: "Move it to another; what was soft is thawed fish",
		Verify: "A second person reads the deviations, each week", Record: "Temperatures, deviations"},
	{ID: Thawing, Step: "Thawing", Hazard: "Bacteria that grow on the outside while the inside is ice", Critical: true,
		Watch:  "Place and hours of each thaw; the pack is opened",
		Action: "Cook it at once or discard it", Verify: "A second person reads the deviations, each week", Record: "Cooling, freezing, ageing"},
	{ID: Ageing, Step: "Dry ageing", Hazard: "Bacteria that grow, molds, histamine", Critical: true,
		Watch:  "The cabinet's probe, a look at each fish each day, its weight",
		Action: "Take it out and decide by its clocks; discard what smells or slimes",
		Verify: "A manager reads the daily checks, each week", Record: "Cooling, freezing, ageing"},
	{ID: Bench, Step: "Cutting and preparing", Hazard: "Bacteria that grow out of the cold; bones and metal", Critical: true,
		Watch:  "Hours out of the cold, counted lot by lot; bones felt for",
		Action: "Cook it or discard it as the hours say", Verify: "A second person reads the deviations, each week", Record: "All entries"},
	{ID: Allergens, Step: "Cutting and preparing", Hazard: "Allergens and germs carried over by boards and knives",
		Watch:  "Clean-down between species and before raw service",
		Action: "Clean down; what was touched is labelled with it or not served", Verify: "A manager watches, each month", Record: "Clean-downs"},
	{ID: Cooking, Step: "Cooking", Hazard: "Bacteria and parasites that live on", Critical: true,
		Watch: "Core temperature of the thickest piece", Action: "Cook it on", Verify: "A manager watches, each month",
		Record: "Core temperatures"},
	{ID: Cooling, Step: "Cooling", Hazard: "Spores that grow while it cools", Critical: true,
		Watch:  "Core temperature at the end of each stage, and the day it is made",
		Action: "Heat it through and begin again while the first stage lasts; else discard it",
		Verify: "A second person reads the deviations, each week", Record: "Cooling, freezing, ageing"},
	{ID: RawServed, Step: "Serving raw", Hazard: "Bacteria, parasites, histamine that no heat ends", Critical: true,
		Watch:  "What each lot may be served as, on the board, before it is put up",
		Action: "Serve it cooked, or not at all", Verify: "A manager compares what left with its clocks, each month", Record: "What left"},
	{ID: Probes, Step: "Instruments", Hazard: "A thermometer that reads wrong",
		Watch:  "Each probe in melting ice or boiling water, when it is due",
		Action: "Set it right or take it out; distrust what it read since it was last right",
		Verify: "A manager reads the checks, each month", Record: "Calibration"},
}

// LimitBy is the limit of a line by the rules, in words, with temperatures in the unit of who reads it. Of a kitchen's own line it is
// what it
// wrote.
func (l Line) LimitBy(p safety.Profile, scale unit.TempScale) string {
	if l.IsOwn() {
		return l.Limit
	}
	t := func(c float64) string { return unit.FormatTemp(c, scale) }
	switch l.ID {
	case Supplier:
		return "Approved, and every declaration in date"
	case Core:
		text := fmt.Sprintf("At most %s; histamine formers at most %s; frozen at most %s", t(p.ReceiveMaxC), t(min(p.ReceiveMaxC,
			p.HistamineMaxC)),
			t(p.FrozenMaxC))
		if again := p.ReceiveAgain; again != nil {
			text += fmt.Sprintf(". Up to %s it is iced and in order within %.0f h", t(again.MaxC), again.WithinHours)
		}
		return text
	case Histamine:
		return fmt.Sprintf("On ice within %.0f h of death where water or air was above %s, else %.0f h, %.0f h where it was gutted at once. Above %s "+
			"from then on: %.0f h in all, %.0f h where any of it was above %s", safety.ChillHotHours, t(safety.HotC), safety.ChillHours,
			safety.ChillGuttedHours, t(safety.ChilledC), safety.AfterHours, safety.WarmAllowance, t(safety.HalvingC))
	case Waters:
		return "None from waters where ciguatera occurs: " + strings.Join(p.CiguateraAreas, ", ")
	case Quality:
		return "What its scheme refuses is not kept"
	case Chilled:
		o := p.OutOfCold
		return fmt.Sprintf("At most %s, histamine formers at most %s. Above %s in all: raw %.0f h, to cook %.0f h", t(p.ChilledMaxC),
			t(min(p.ChilledMaxC, p.HistamineMaxC)), t(o.AboveC), o.RawHours, o.CookHours)
	case Packs:
		switch {
		case !p.ReducedOxygenChilled:
			return "None chilled: frozen until it is opened"
		case p.ReducedOxygenDays > 0:
			return fmt.Sprintf("At most %s, and %.0f days", t(safety.OxygenC), p.ReducedOxygenDays)
		}
		return "At most " + t(safety.OxygenC)
	case Parasites:
		var routes []string
		for _, r := range p.Parasite.Routes {
			routes = append(routes, r.Name())
		}
		return "Core temperature, unbroken: " + strings.Join(routes, "; or ") + "; or exempt by species or declaration"
	case Frozen:
		return "At most " + t(p.FrozenMaxC)
	case Thawing:
		return fmt.Sprintf("In the cold at most %s; in water: %s. Thawed: raw for %.0f h, to cook for %.0f h", t(p.ThawFridgeC), p.ThawWater,
			p.Thawed.RawHours, p.Thawed.CookHours)
	case Ageing:
		return fmt.Sprintf("At most %s, by a written plan", t(p.ChilledMaxC))
	case Bench:
		return fmt.Sprintf("Out of the cold in all: raw %.0f h, to cook %.0f h, none after %.0f h", p.OutOfCold.RawHours, p.OutOfCold.CookHours,
			p.OutOfCold.StopHours)
	case Allergens:
		return "No fish on boards that met another allergen"
	case Cooking:
		return fmt.Sprintf("Core temperature %s for %s", t(p.Parasite.CookC), p.Parasite.CookFor)
	case Cooling:
		c := p.Cooling
		return fmt.Sprintf("%s within %.0f h, %s within %.0f h more; kept %d days", t(c.FirstC), c.FirstHours, t(c.ThenC), c.ThenHours,
			c.KeepDays)
	case RawServed:
		return fmt.Sprintf("Every clock open; cut at most %.0f h, thawed at most %.0f h; parasites dead or exempt", p.Cut.RawHours,
			p.Thawed.RawHours)
	case Probes:
		return "Within the tolerance of its check"
	}
	panic("haccp: no limit for " + l.ID)
}

// OfAlarm is the line that a deviation of a place points to, by what it is and what place it is.
func OfAlarm(kind alarm.Kind, p lot.Place) string {
	switch {
	case kind == alarm.Disagree:
		return Probes
	case p.AgeingCabinet():
		return Ageing
	case p.Freezer():
		return Frozen
	}
	return Chilled
}

// Outdated reports whether the rules set other limits now than those that a plan was signed with.
func Outdated(lines []Line, p safety.Profile) bool {
	return slices.ContainsFunc(lines, func(l Line) bool { return !l.IsOwn() && l.Limit != l.LimitBy(p, unit.CelsiusScale) })
}

// longest is how long a text of a plan may be, in characters.
const longest = 600

// Check holds a plan that is to be signed against what it must have: every line of the rules, each whole. Errors are on the field's
// name, a dash and
// the line's id.
func Check(lines []Line, bad *invalid.Errors) {
	for _, u := range usual {
		if i := slices.IndexFunc(lines, func(l Line) bool { return l.ID == u.ID }); i < 0 || lines[i].Critical != u.Critical {
			bad.Add("lines", "%s, %s: a plan keeps it", u.Step, strings.ToLower(u.Hazard))
		}
	}
	seen := map[string]bool{}
	for _, l := range lines {
		if seen[l.ID] || !l.IsOwn() && !slices.ContainsFunc(usual, func(u Line) bool { return u.ID == l.ID }) {
			bad.Add("lines", "%s is there twice, or nobody knows it", l.ID)
		}
		seen[l.ID] = true
		for field, text := range map[string]string{"step": l.Step, "hazard": l.Hazard, "limit": l.Limit, "watch": l.Watch, "action": l.Action,
			"verify": l.Verify, "record": l.Record} {
			if strings.TrimSpace(text) == "" {
				bad.Add(field+"-"+l.ID, "say it")
			}
			if invalid.TooLong(text, longest) {
				bad.Add(field+"-"+l.ID, "is longer than %d characters", longest)
			}
		}
		if invalid.TooLong(l.Own, longest) {
			bad.Add("own-"+l.ID, "is longer than %d characters", longest)
		}
	}
}
