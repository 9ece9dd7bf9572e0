package api

import (
	"errors"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/unit"
)

type ageingIn struct {
	Species    string      `json:"species"`
	StartKg    float64     `json:"start_kg"`
	Celsius    *float64    `json:"celsius"`
	RH         *float64    `json:"rh"`
	WeighIns   []weighInIn `json:"weigh_ins"`
	TargetLoss float64     `json:"target_loss"`
	ScaleKg    float64     `json:"scale_kg"`
}

type weighInIn struct {
	At *time.Time `json:"at"`
	Kg float64    `json:"kg"`
}

type ageingOut struct {
	Loss     float64       `json:"loss"`
	LossLo   float64       `json:"loss_lo"`
	LossHi   float64       `json:"loss_hi"`
	K        float64       `json:"k_per_day"` // in this air
	KRef     float64       `json:"k_reference_per_day"`
	Lc       float64       `json:"lc"`
	VPD      float64       `json:"vpd_kpa"`
	Forecast []ageingPoint `json:"forecast"`
	TargetAt *time.Time    `json:"target_at"`
	TargetLo *time.Time    `json:"target_lo"`
	TargetHi *time.Time    `json:"target_hi"`
	Source   refs.Cited    `json:"source"`
}

type ageingPoint struct {
	At   time.Time `json:"at"`
	Loss float64   `json:"loss"`
	Lo   float64   `json:"lo"`
	Hi   float64   `json:"hi"`
}

// forecastDays is how far ahead calc/ageing looks where the target is not
// reached sooner.
const forecastDays = 14

// ageing fits the loss of a fish to its weigh-ins and forecasts it, in steady
// air and a cabinet that never aged one.
func (c calculator) ageing(in ageingIn) (ageingOut, error) {
	var bad invalid.Errors
	if _, ok := c.species.Get(in.Species); !ok {
		bad.Add("species", "is not in the catalogue")
	}
	if in.Celsius == nil || unit.CheckCelsius(*in.Celsius) != nil {
		bad.Add("celsius", "give the temperature of the cabinet, %v", unit.ErrTempRange)
	}
	if in.RH == nil || !(*in.RH >= 0 && *in.RH < 1) {
		bad.Add("rh", "give the humidity as a share, at least 0 and below 1")
	}
	if !(in.TargetLoss > 0 && in.TargetLoss < 0.5) {
		bad.Add("target_loss", "must be above 0 and below 0.5")
	}
	if in.ScaleKg == 0 {
		in.ScaleKg = 0.005
	} else if !(in.ScaleKg > 0 && in.ScaleKg <= 1) {
		bad.Add("scale_kg", "must be above 0 and at most 1")
	}
	var list []ageing.WeighIn
	for _, w := range in.WeighIns {
		if w.At == nil {
			bad.Add("weigh_ins", "each needs its time")
			break
		}
		list = append(list, ageing.WeighIn{At: *w.At, Kg: w.Kg})
	}
	if len(list) == 0 && bad.On("weigh_ins") == "" {
		bad.Add("weigh_ins", "give at least the first: the start")
	}
	if in.StartKg != 0 && len(list) > 0 && in.StartKg != list[0].Kg {
		bad.Add("start_kg", "is not the first of weigh_ins")
	}
	if err := bad.Err(); err != nil {
		return ageingOut{}, err
	}
	air := ageing.Air{Celsius: *in.Celsius, RH: *in.RH}
	fit, err := ageing.NewFit(list, ageing.Climate{Set: air}, ageing.PriorWithoutHistory(list[0].Kg),
		ageing.Scale{StepKg: in.ScaleKg})
	if errors.Is(err, ageing.ErrWeighIns) {
		return ageingOut{}, invalid.Errors{{Field: "weigh_ins", Message: err.Error()}}
	} else if err != nil {
		return ageingOut{}, err
	}
	now := fit.Forecast(fit.Last.At)[0]
	reaches := fit.Reaches(in.TargetLoss)
	out := ageingOut{Loss: now.Mid, LossLo: now.Lo, LossHi: now.Hi, K: fit.K * air.Pace(), KRef: fit.K, Lc: fit.Lc,
		VPD: ageing.VPD(air.Celsius, air.RH), TargetAt: orNull(reaches.Mid), TargetLo: orNull(reaches.Lo),
		TargetHi: orNull(reaches.Hi),
		Source:   "common practice, no source; saturation pressure: [Alduchov1996]"}
	for day := range forecastDays + 1 {
		p := fit.Forecast(fit.Last.At.AddDate(0, 0, day))[0]
		out.Forecast = append(out.Forecast, ageingPoint{p.At, p.Mid, p.Lo, p.Hi})
	}
	return out, nil
}

// orNull is a time that may never come.
func orNull(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
