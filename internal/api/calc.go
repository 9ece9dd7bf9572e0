package api

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/httpx"
)

// calcHandler binds a request, computes and answers. A calculator stores nothing.
func calcHandler[In, Out any](compute func(In) (Out, error)) gin.HandlerFunc {
	return answer(func(_ context.Context, in In) (Out, error) { return compute(in) })
}

// calcWithin is calcHandler for what takes long: it computes within bounds.
func calcWithin[In, Out any](h *httpx.Heavy, compute func(context.Context, In) (Out, error)) gin.HandlerFunc {
	return answer(func(ctx context.Context, in In) (out Out, err error) {
		err = h.Do(ctx, func(ctx context.Context) error {
			out, err = compute(ctx, in)
			return err
		})
		return out, err
	})
}

func answer[In, Out any](compute func(context.Context, In) (Out, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		var in In
		err := httpx.BindJSON(c, &in)
		var out Out
		if err == nil {
			out, err = compute(c.Request.Context(), in)
		}
		var fields invalid.Errors
		var tooLarge *http.MaxBytesError
		switch {
		case err == nil:
			httpx.WriteJSON(c, http.StatusOK, out)
		case errors.As(err, &fields):
			httpx.WriteProblem(c, http.StatusUnprocessableEntity, "some fields are wrong", fields)
		case errors.As(err, &tooLarge):
			httpx.WriteProblem(c, http.StatusRequestEntityTooLarge, "the body is too large", nil)
		case errors.Is(err, httpx.ErrBusy):
			c.Header("Retry-After", "2")
			httpx.WriteProblem(c, http.StatusServiceUnavailable, err.Error(), nil)
		case errors.Is(err, httpx.ErrTooLong):
			httpx.WriteProblem(c, http.StatusUnprocessableEntity, err.Error(), nil)
		case c.Request.Context().Err() != nil: // nobody waits for it any more
			c.Abort()
		default:
			httpx.WriteProblem(c, http.StatusBadRequest, err.Error(), nil)
		}
	}
}

// calculator is what the calculators know besides their requests.
type calculator struct {
	species species.Catalogue
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

// exposure integrates readings. A gap longer than twice the usual interval
// counts as assumed: at set_celsius + 2 where that is given, else along the
// straight line between its ends.
func (c calculator) exposure(in exposureIn) (exposureOut, error) {
	var bad invalid.Errors
	model, err := coldchain.ParseModel(string(in.Model))
	if err != nil {
		bad.Add("model", "must be temperate or warm")
	}
	if len(in.Readings) < 2 {
		bad.Add("readings", "give at least two")
	}
	series := seriesOf(in.Readings, &bad)
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
		assume = coldchain.Steady(*in.SetCelsius + assess.AssumedMargin)
	}
	var sum coldchain.Exposure
	out := exposureOut{Hours: span.Len().Hours(), Reasons: []string{}}
	parts, _ := coldchain.FromLayers(span, coldchain.Layer{Kind: coldchain.Logged, Source: known},
		coldchain.Layer{Kind: coldchain.Assumed, Source: assume})
	for _, p := range parts {
		sum = sum.Add(p.Exposure)
		if p.Kind == coldchain.Assumed {
			out.AssumedHours = p.Exposure.Covered.Hours()
		}
	}
	out.MinCelsius, out.MaxCelsius = sum.Min, sum.Max
	out.HoursAbove44, out.HoursAbove211, out.HoursAbove25 = sum.HoursAbove(4.4), sum.HoursAbove(21.1),
		sum.BeyondRule().Hours()
	if below := sum.Covered.Hours() - sum.HoursAbove(coldchain.LowestRated); below > 0 {
		out.Reasons = append(out.Reasons, fmt.Sprintf(
			"%.2f h below −3 °C: counted at the rate of −3 °C, unless the fish was frozen hard", below))
	}
	if sum.BeyondRule() > 0 {
		out.Hold = true
		out.Reasons = append(out.Reasons, fmt.Sprintf(
			"%.2f h above 25 °C: there is no spoilage rule for it, hold the fish", sum.BeyondRule().Hours()))
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
		keeps, err := model.DaysAt(left, *in.HoldCelsius)
		if err != nil {
			return out, invalid.Errors{{Field: "hold_celsius", Message: "there is no spoilage rule above 25 °C"}}
		}
		out.LifeLeftDays = &keeps
	}
	return out, nil
}

type freshnessIn struct {
	Scheme         string           `json:"scheme"`
	Species        string           `json:"species"`
	Form           string           `json:"form"`
	Frozen         bool             `json:"frozen"`
	Count          int              `json:"count"`
	Fish           []freshness.Fish `json:"fish"`
	ClaimedIceDays *float64         `json:"claimed_ice_days"`
	ClaimedSD      *float64         `json:"claimed_sd"`
	CoreCelsius    *float64         `json:"core_celsius"`
	Profile        string           `json:"profile"`
}

type freshnessOut struct {
	Scheme    string                  `json:"scheme"` // the table used: grade is one of three
	Index     float64                 `json:"index"`
	IndexMax  int                     `json:"index_max"`
	Grade     string                  `json:"grade"`
	Each      []freshness.FishReading `json:"fish,omitempty"`
	ReadAge   *float64                `json:"read_age_ice_days"` // null where the signs tell no age
	AtLeast   bool                    `json:"read_age_at_least"`
	SD        *float64                `json:"sd"`
	AgeGap    *float64                `json:"age_gap"`
	AgeUsed   *float64                `json:"age_used_ice_days"`
	AgeUsedSD *float64                `json:"age_used_sd"`
	Basis     freshness.Basis         `json:"basis"`
	LifeLeft  *float64                `json:"life_left_ice_days"`
	Profile   string                  `json:"profile"`
	freshness.Verdict
}

// freshness reads fish by a scheme. Without core_celsius the verdict leaves
// the temperature at receipt out.
func (c calculator) freshness(in freshnessIn) (freshnessOut, error) {
	facts, err := c.facts(in)
	if err != nil {
		return freshnessOut{}, err
	}
	read, err := facts.Scheme.Read(facts.Species.ShelfLife, in.Fish)
	if err != nil {
		return freshnessOut{}, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	facts.Reading = read
	out := freshnessOut{Scheme: facts.Scheme.ID, Index: read.Index, IndexMax: read.IndexMax, Grade: read.Grade,
		Each: read.Each, Profile: facts.Profile.ID, Verdict: freshness.Judge(facts)}
	if read.Age != nil {
		out.ReadAge, out.SD, out.AtLeast = &read.Age.Days, &read.Age.SD, read.Age.AtLeast
		if facts.DeclaredAge != nil {
			gap := freshness.Gap(*read.Age, *facts.DeclaredAge)
			out.AgeGap = &gap
		}
	}
	evidence := freshness.Evidence{ReadAge: read.Age, DeclaredAge: facts.DeclaredAge}
	used, basis := evidence.Used()
	if out.Basis = basis; basis != freshness.BasisNone && !facts.Frozen {
		left := math.Max(0, evidence.Left(facts.Species.ShelfLife).Days)
		out.AgeUsed, out.AgeUsedSD, out.LifeLeft = &used.Days, &used.SD, &left
	}
	return out, nil
}

// facts checks a request and gathers what the verdict rests on, but for the
// reading.
func (c calculator) facts(in freshnessIn) (freshness.Facts, error) {
	var bad invalid.Errors
	sp := c.speciesOf(in.Species, &bad)
	scheme, ok := freshness.Find(in.Scheme, sp)
	if !ok {
		bad.Add("scheme", "must be one of %s; GET /api/v1/schemes lists them", strings.Join(freshness.Methods(), ", "))
	}
	if !slices.Contains(lot.Forms, in.Form) {
		bad.Add("form", "is not a form of fish")
	}
	if in.Profile == "" {
		in.Profile = safety.DefaultProfile
	}
	profile, ok := safety.GetProfile(in.Profile)
	if !ok {
		bad.Add("profile", "is not a set of rules")
	}
	if in.Count < 0 || in.Count > 10000 || in.Count > 0 && in.Count < len(in.Fish) {
		bad.Add("count", "must be at least the fish inspected and at most 10 000")
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
		return freshness.Facts{}, bad
	}
	in.Frozen = in.Frozen || scheme.Frozen
	for i, fish := range in.Fish {
		if err := scheme.CheckFor(sp, fish); err != nil {
			bad.Add(fmt.Sprintf("fish[%d]", i), "%v", err)
		} else if len(fish.Signs) == 0 {
			bad.Add(fmt.Sprintf("fish[%d]", i), "%v", freshness.ErrNoSigns)
		}
	}
	if !scheme.Fits(sp, in.Form, in.Frozen) {
		bad.Add("form", "the scheme %s is not made for this form of %s", scheme.ID, sp.Name)
	}
	if len(bad) > 0 {
		return freshness.Facts{}, bad
	}
	facts := freshness.Facts{Scheme: scheme, Species: sp, Profile: profile, Frozen: in.Frozen, CoreC: in.CoreCelsius,
		CoreUnasked: in.CoreCelsius == nil, Fish: in.Fish, Count: in.Count}
	if in.ClaimedIceDays != nil {
		facts.DeclaredAge = &freshness.Age{Days: *in.ClaimedIceDays,
			SD: math.Hypot(freshness.PaperDateSD, freshness.AssumedTempSD)}
		if in.ClaimedSD != nil {
			facts.DeclaredAge.SD = *in.ClaimedSD
		}
	}
	return facts, nil
}
