package api

import (
	"fmt"
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

// profileIn is the profile with an id, the default one where none is given.
func profileIn(id string, bad *invalid.Errors) safety.Profile {
	if id == "" {
		id = safety.DefaultProfile
	}
	p, ok := safety.GetProfile(id)
	if !ok {
		bad.Add("profile", "must be model-code, eu or house-strict")
	}
	return p
}

func (c calculator) speciesOf(id string, bad *invalid.Errors) species.Species {
	sp, ok := c.species.Get(id)
	if !ok {
		bad.Add("species", "is not in the catalogue; GET /api/v1/species lists it")
	}
	return sp
}

type parasiteIn struct {
	Profile      string    `json:"profile"`
	Species      string    `json:"species"`
	Readings     []reading `json:"readings"`
	ThicknessMM  *float64  `json:"thickness_mm"`
	FarmedLetter bool      `json:"farmed_letter"`
}

type parasiteOut struct {
	Profile   string      `json:"profile"`
	Met       bool        `json:"met"`
	Route     *string     `json:"route"` // null where none is met
	RouteName string      `json:"route_name"`
	MetAt     *time.Time  `json:"met_at"`
	Since     *time.Time  `json:"since"` // of the stretch that met it, or that runs
	Remaining float64     `json:"remaining_hours"`
	Broken    []brokenOut `json:"broken"`
	Cautions  []string    `json:"cautions"`
}

type brokenOut struct {
	At      time.Time `json:"at"`
	Celsius float64   `json:"celsius"`
	Gap     bool      `json:"without_record"`
}

// parasite reads the parasite clock along readings of the core. Readings
// further apart than twice their usual interval are not linked.
func (c calculator) parasite(in parasiteIn) (parasiteOut, error) {
	var bad invalid.Errors
	facts := safety.ParasiteFacts{Species: c.speciesOf(in.Species, &bad), Letter: in.FarmedLetter}
	profile := profileIn(in.Profile, &bad)
	series := seriesOf(in.Readings, &bad)
	if mm := in.ThicknessMM; mm != nil {
		if facts.ThicknessMM = *mm; !(*mm > 0 && *mm <= 2000) {
			bad.Add("thickness_mm", "must be above 0 and at most 2000")
		}
	}
	if err := bad.Err(); err != nil {
		return parasiteOut{}, err
	}
	facts.Core = safety.Linked(series, coldchain.GapFactor*coldchain.UsualInterval(series))
	p := profile.Parasites(facts)
	out := parasiteOut{Profile: profile.ID, Met: p.Met, RouteName: p.Route.Name(), Remaining: p.Remaining.Hours(),
		Broken: []brokenOut{}, Cautions: append([]string{}, p.Cautions...)}
	switch {
	case p.Exempt != "":
		out.Route, out.RouteName = new("exempt"), p.Exempt
	case p.Met:
		out.Route, out.MetAt = &p.Route.ID, &p.MetAt
	}
	if !p.Since.IsZero() {
		out.Since = &p.Since
	}
	for _, b := range p.Broken {
		out.Broken = append(out.Broken, brokenOut(b))
	}
	return out, nil
}

type frozenLifeIn struct {
	FatClass frozen.Fat `json:"fat_class"`
	Readings []reading  `json:"readings"`
}

type frozenLifeOut struct {
	Used   float64    `json:"used_fraction"`
	Left   *float64   `json:"life_left_months_at_mean"` // null where no life is known at the mean
	Mean   float64    `json:"mean_celsius"`
	Hours  float64    `json:"hours"`
	Warm   float64    `json:"hours_above_minus_12"`
	Hold   bool       `json:"hold"`
	Source refs.Cited `json:"source"`
}

// frozenLife reads the frozen life off readings, straight between all of them.
func (c calculator) frozenLife(in frozenLifeIn) (frozenLifeOut, error) {
	var bad invalid.Errors
	if !slices.Contains(frozen.FatClasses, in.FatClass) {
		bad.Add("fat_class", "must be lean or fatty")
	}
	if len(in.Readings) < 2 {
		bad.Add("readings", "give at least two")
	}
	series := seriesOf(in.Readings, &bad)
	if err := bad.Err(); err != nil {
		return frozenLifeOut{}, err
	}
	use := frozen.Over(in.FatClass, series, math.MaxInt64)
	out := frozenLifeOut{Used: use.Share, Mean: use.Mean, Hours: use.Known.Hours(), Warm: use.Warm.Hours(),
		Hold: use.Holds(), Source: frozen.Source}
	if left, err := use.LeftAt(in.FatClass, use.Mean); err == nil {
		out.Left = &left
	}
	return out, nil
}

type thawIn struct {
	Species      string         `json:"species"`
	Form         string         `json:"form"`
	ThicknessMM  float64        `json:"thickness_mm"`
	Start        *float64       `json:"start_celsius"`
	Method       string         `json:"method"`
	Medium       *float64       `json:"medium_celsius"`
	ServeAt      *time.Time     `json:"serve_at"`
	VacuumPacked bool           `json:"vacuum_packed"`
	KeepPacked   bool           `json:"keep_packed"`
	Profile      string         `json:"profile"`
	Faces        *int           `json:"faces"`
	EndUse       thawing.EndUse `json:"end_use"`
	School       string         `json:"school"`
}

type thawOut struct {
	Profile  string       `json:"profile"`
	StartBy  *time.Time   `json:"start_by"`
	Workable *float64     `json:"workable_hours"`
	IceFree  *float64     `json:"ice_free_hours"`
	KeepTo   *time.Time   `json:"keep_to"`
	Steps    []thawStep   `json:"steps"`
	Curve    []curvePoint `json:"curve"`
	Warnings []string     `json:"warnings"`
	Refused  *string      `json:"refused"` // null where it may be done
}

type thawStep struct {
	At  time.Time `json:"at"`
	Do  string    `json:"do"`
	Why string    `json:"why,omitempty"`
}

// request checks what is asked for.
func (c calculator) request(in thawIn) (thawing.Request, error) {
	var bad invalid.Errors
	r := thawing.Request{Species: c.speciesOf(in.Species, &bad), Method: in.Method, VacuumPacked: in.VacuumPacked,
		KeepPacked: in.KeepPacked, EndUse: in.EndUse, Profile: profileIn(in.Profile, &bad)}
	if !slices.Contains(lot.Forms, in.Form) {
		bad.Add("form", "is not known")
	}
	if !(in.ThicknessMM >= 3 && in.ThicknessMM <= 500) {
		bad.Add("thickness_mm", "must be between 3 and 500")
	}
	r.Piece = piece.Of(r.Species, in.Form, 1)
	r.Piece.ThicknessMM = in.ThicknessMM
	if in.Faces != nil {
		if *in.Faces != 1 && *in.Faces != 2 {
			bad.Add("faces", "must be 1 or 2")
		}
		if r.Piece.OneFace = *in.Faces == 1; r.Piece.OneFace {
			r.Piece.Shape = heat.Slab
		}
	}
	for field, c := range map[string]*float64{"start_celsius": in.Start, "medium_celsius": in.Medium} {
		if c == nil {
			if field == "start_celsius" || in.Method != thawing.CookFrozen {
				bad.Add(field, "is missing")
			}
		} else if unit.CheckCelsius(*c) != nil {
			bad.Add(field, "%v", unit.ErrTempRange)
		}
	}
	if _, ok := thawing.GetMethod(in.Method); !ok {
		why := "must be fridge, water or cook_frozen"
		for _, never := range thawing.ForbiddenMethods() {
			if never.ID == in.Method {
				why = fmt.Sprintf("never: %s", never.Why)
			}
		}
		bad.Add("method", "%s", why)
	}
	if in.ServeAt == nil {
		bad.Add("serve_at", "is missing")
	}
	if in.EndUse == "" {
		r.EndUse = thawing.Cook
	} else if in.EndUse != thawing.Cook && in.EndUse != thawing.Raw {
		bad.Add("end_use", "must be cook or raw")
	}
	if in.School == "" {
		in.School = thawing.DefaultPolicy
	}
	var ok bool
	if r.Policy, ok = thawing.GetPolicy(in.School); !ok {
		bad.Add("school", "is not known")
	}
	if err := bad.Err(); err != nil {
		return r, err
	}
	r.StartC, r.ServeAt = *in.Start, *in.ServeAt
	if in.Medium != nil {
		r.MediumC = *in.Medium
	}
	return r, nil
}

// thaw plans a thaw back from the hour of service.
func (c calculator) thaw(in thawIn) (thawOut, error) {
	r, err := c.request(in)
	if err != nil {
		return thawOut{}, err
	}
	p, err := thawing.NewPlan(r)
	if err != nil {
		return thawOut{}, err
	}
	out := thawOut{Profile: r.Profile.ID, Workable: hoursOrNull(p.Workable), IceFree: hoursOrNull(p.IceFree),
		Steps: []thawStep{}, Curve: curveOut(p.Curve), Warnings: append([]string{}, p.Warnings...)}
	if !p.StartBy.IsZero() {
		out.StartBy, out.KeepTo = &p.StartBy, &p.KeepTo
	}
	for _, s := range p.Steps {
		out.Steps = append(out.Steps, thawStep{s.At, s.Do, s.Why})
	}
	if p.Refused != "" {
		out.Refused = &p.Refused
	}
	return out, nil
}

// hoursOrNull is a time that may never come.
func hoursOrNull(d time.Duration) *float64 {
	if d == heat.Never {
		return nil
	}
	h := d.Hours()
	return &h
}

func curveOut(curve []heat.Moment) []curvePoint {
	out := make([]curvePoint, len(curve))
	for i, m := range curve {
		out[i] = curvePoint{m.Since.Hours(), m.Core, m.Mean, m.Surface}
	}
	return out
}
