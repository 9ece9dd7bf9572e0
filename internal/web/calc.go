package web

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
)

// calcHandler binds a request, computes and answers. A calculator stores nothing.
func calcHandler[In, Out any](compute func(In) (Out, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		var in In
		err := bindJSON(c, &in)
		var out Out
		if err == nil {
			out, err = compute(in)
		}
		var fields invalid.Errors
		var tooLarge *http.MaxBytesError
		switch {
		case err == nil:
			apiJSON(c, http.StatusOK, out)
		case errors.As(err, &fields):
			apiProblem(c, http.StatusUnprocessableEntity, "some fields are wrong", fields)
		case errors.As(err, &tooLarge):
			apiProblem(c, http.StatusRequestEntityTooLarge, "the body is too large", nil)
		default:
			apiProblem(c, http.StatusBadRequest, err.Error(), nil)
		}
	}
}

type reading struct {
	At      time.Time `json:"at"`
	Celsius *float64  `json:"celsius"`
}

type exposureIn struct {
	Model         coldchain.Model `json:"model"`
	Readings      []reading       `json:"readings"`
	ShelfLifeDays *float64        `json:"shelf_life_days"`
	HoldCelsius   *float64        `json:"hold_celsius"`
	SetCelsius    *float64        `json:"set_celsius"`
}

type exposureOut struct {
	IceDays       *float64 `json:"ice_days"` // null where there is no rule for a part of the time
	Hours         float64  `json:"hours"`
	MinCelsius    float64  `json:"min_celsius"`
	MaxCelsius    float64  `json:"max_celsius"`
	HoursAbove44  float64  `json:"hours_above_4_4"`
	HoursAbove211 float64  `json:"hours_above_21_1"`
	HoursAbove25  float64  `json:"hours_above_25"`
	AssumedHours  float64  `json:"assumed_hours"`
	Hold          bool     `json:"hold"`
	Reasons       []string `json:"reasons"`
	LifeLeftIce   *float64 `json:"life_left_ice_days,omitempty"`
	LifeLeftDays  *float64 `json:"life_left_days,omitempty"`
}

// calcExposure integrates readings. A gap longer than twice the usual interval
// counts as assumed: at set_celsius + 2 where that is given, else along the
// straight line between its ends.
func calcExposure(in exposureIn) (exposureOut, error) {
	var bad invalid.Errors
	model, err := coldchain.ParseModel(string(in.Model))
	if err != nil {
		bad.Add("model", "must be temperate or warm")
	}
	if len(in.Readings) < 2 {
		bad.Add("readings", "give at least two")
	}
	series := make([]coldchain.Reading, len(in.Readings))
	for i, r := range in.Readings {
		field := fmt.Sprintf("readings[%d].", i)
		switch {
		case r.At.IsZero():
			bad.Add(field+"at", "is missing")
		case r.Celsius == nil:
			bad.Add(field+"celsius", "is missing")
		case unit.CheckCelsius(*r.Celsius) != nil:
			bad.Add(field+"celsius", "%v", unit.ErrTempRange)
		case i > 0 && !r.At.After(in.Readings[i-1].At):
			bad.Add(field+"at", "must lie after the reading before it")
		default:
			series[i] = coldchain.Reading{At: r.At, Celsius: *r.Celsius}
		}
	}
	if in.ShelfLifeDays != nil && !(*in.ShelfLifeDays > 0 && *in.ShelfLifeDays <= 1000) {
		bad.Add("shelf_life_days", "must be above 0 and at most 1000")
	}
	for field, c := range map[string]*float64{"hold_celsius": in.HoldCelsius, "set_celsius": in.SetCelsius} {
		if c != nil && unit.CheckCelsius(*c) != nil {
			bad.Add(field, "%v", unit.ErrTempRange)
		}
	}
	if len(bad) > 0 {
		return exposureOut{}, bad
	}
	span := coldchain.Span{From: series[0].At, To: series[len(series)-1].At}
	known := coldchain.Series{Readings: series, MaxGap: coldchain.GapFactor * coldchain.UsualInterval(series)}
	var assume coldchain.Source = coldchain.Series{Readings: series, MaxGap: math.MaxInt64}
	if in.SetCelsius != nil {
		assume = coldchain.Steady(*in.SetCelsius + lot.AssumedMargin)
	}
	var sum coldchain.Exposure
	out := exposureOut{Hours: span.Len().Hours(), Reasons: []string{}}
	parts, _ := coldchain.Account(span, coldchain.Layer{Kind: coldchain.Logged, Source: known}, coldchain.Layer{Kind: coldchain.Assumed, Source: assume})
	for _, p := range parts {
		sum = sum.Add(p.Exposure)
		if p.Kind == coldchain.Assumed {
			out.AssumedHours = p.Exposure.Covered.Hours()
		}
	}
	out.MinCelsius, out.MaxCelsius = sum.Min, sum.Max
	out.HoursAbove44, out.HoursAbove211, out.HoursAbove25 = sum.HoursAbove(4.4), sum.HoursAbove(21.1), sum.BeyondRule().Hours()
	if below := sum.Covered.Hours() - sum.HoursAbove(coldchain.LowestRated); below > 0 {
		out.Reasons = append(out.Reasons, fmt.Sprintf("%.2f h below −3 °C: counted at the rate of −3 °C, unless the fish was frozen hard", below))
	}
	if sum.BeyondRule() > 0 {
		out.Hold = true
		out.Reasons = append(out.Reasons, fmt.Sprintf("%.2f h above 25 °C: there is no spoilage rule for it, hold the fish", sum.BeyondRule().Hours()))
		return out, nil
	}
	ice := sum.IceDays(model)
	out.IceDays = &ice
	if in.ShelfLifeDays == nil {
		return out, nil
	}
	left := math.Max(0, *in.ShelfLifeDays-ice)
	out.LifeLeftIce = &left
	if in.HoldCelsius != nil {
		keeps, err := model.Keeping(left, *in.HoldCelsius)
		if err != nil {
			return out, invalid.Errors{{Field: "hold_celsius", Message: "there is no spoilage rule above 25 °C"}}
		}
		out.LifeLeftDays = &keeps
	}
	return out, nil
}

type freshnessIn struct {
	Scheme         string            `json:"scheme"`
	Species        string            `json:"species"`
	Form           string            `json:"form"`
	Frozen         bool              `json:"frozen"`
	Fish           []freshness.Signs `json:"fish"`
	ClaimedIceDays *float64          `json:"claimed_ice_days"`
	ClaimedSD      *float64          `json:"claimed_sd"`
	CoreCelsius    *float64          `json:"core_celsius"`
	Profile        string            `json:"profile"`
}

type freshnessOut struct {
	Index     float64         `json:"index"`
	IndexMax  int             `json:"index_max"`
	Grade     string          `json:"grade"`
	ReadAge   float64         `json:"read_age_ice_days"`
	AtLeast   bool            `json:"read_age_at_least"`
	SD        float64         `json:"sd"`
	AgeGap    *float64        `json:"age_gap"`
	AgeUsed   float64         `json:"age_used_ice_days"`
	AgeUsedSD float64         `json:"age_used_sd"`
	Basis     freshness.Basis `json:"basis"`
	LifeLeft  float64         `json:"life_left_ice_days"`
	Profile   string          `json:"profile"`
	freshness.Verdict
}

// calcFreshness reads fish by a scheme. Without core_celsius the verdict leaves
// the temperature at receipt out.
func calcFreshness(in freshnessIn) (freshnessOut, error) {
	var bad invalid.Errors
	scheme, ok := freshness.Get(in.Scheme)
	if !ok {
		bad.Add("scheme", "is not known; GET /api/v1/schemes lists them")
	}
	sp, ok := species.Get(in.Species)
	if !ok {
		bad.Add("species", "is not in the catalogue; GET /api/v1/species lists it")
	}
	if !slices.Contains(lot.Forms, in.Form) {
		bad.Add("form", "is not a form of fish")
	}
	if in.Profile == "" {
		in.Profile = safety.DefaultProfile
	}
	profile, ok := safety.GetProfile(in.Profile)
	if !ok {
		bad.Add("profile", "is not a rule profile")
	}
	if in.ClaimedIceDays != nil && !(*in.ClaimedIceDays >= 0 && *in.ClaimedIceDays <= 1000) {
		bad.Add("claimed_ice_days", "must be between 0 and 1000")
	}
	if in.ClaimedSD != nil && !(*in.ClaimedSD > 0 && *in.ClaimedSD <= 100) {
		bad.Add("claimed_sd", "must be above 0 and at most 100")
	}
	if in.CoreCelsius != nil && unit.CheckCelsius(*in.CoreCelsius) != nil {
		bad.Add("core_celsius", "%v", unit.ErrTempRange)
	}
	if len(bad) > 0 {
		return freshnessOut{}, bad
	}
	for i, fish := range in.Fish {
		if err := scheme.Check(fish); err != nil {
			bad.Add(fmt.Sprintf("fish[%d]", i), "%v", err)
		} else if len(fish) == 0 {
			bad.Add(fmt.Sprintf("fish[%d]", i), "%v", freshness.ErrNoSigns)
		}
	}
	if !scheme.Fits(sp.Body, in.Form) {
		bad.Add("form", "the scheme %s is not made for this form of %s", scheme.ID, sp.Name)
	}
	if len(bad) > 0 {
		return freshnessOut{}, bad
	}
	read, err := scheme.Read(sp.ShelfLife, in.Fish)
	if err != nil {
		return freshnessOut{}, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	evidence := freshness.Evidence{Read: &read.Age}
	out := freshnessOut{Index: read.Index, IndexMax: read.IndexMax, Grade: read.Grade, ReadAge: read.Age.Days, AtLeast: read.Age.AtLeast, SD: read.Age.SD, Profile: profile.ID}
	if in.ClaimedIceDays != nil {
		sd := math.Hypot(freshness.PaperDateSD, freshness.AssumedTempSD)
		if in.ClaimedSD != nil {
			sd = *in.ClaimedSD
		}
		evidence.Claimed = &freshness.Age{Days: *in.ClaimedIceDays, SD: sd}
		gap := freshness.Gap(read.Age, *evidence.Claimed)
		out.AgeGap = &gap
	}
	used, basis := evidence.Used()
	out.AgeUsed, out.AgeUsedSD, out.Basis = used.Days, used.SD, basis
	out.LifeLeft = math.Max(0, sp.ShelfLife.Lo-used.Days)
	facts := freshness.Facts{Scheme: scheme, Species: sp, Profile: profile, Frozen: in.Frozen, CoreC: in.CoreCelsius, CoreUnasked: in.CoreCelsius == nil, Fish: in.Fish, Reading: read, Claimed: evidence.Claimed}
	out.Verdict = freshness.Judge(facts)
	return out, nil
}
