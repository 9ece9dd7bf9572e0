package api

import (
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/unit"
)

type orderIn struct {
	Covers       float64  `json:"covers"`
	CoversSD     float64  `json:"covers_sd"`
	Share        *float64 `json:"share"` // of the guests; all where it is left out
	PortionG     float64  `json:"portion_g"`
	Yield        float64  `json:"yield"`
	YieldSD      float64  `json:"yield_sd"`
	AgeingLoss   float64  `json:"ageing_loss"`
	DripLoss     float64  `json:"drip_loss"`
	OnHandKg     float64  `json:"on_hand_kg"` // usable
	ServiceLevel *float64 `json:"service_level"`
	ShortageCost *float64 `json:"shortage_cost"` // per usable kg
	WasteCost    *float64 `json:"waste_cost"`
}

type orderOut struct {
	WholeKg        float64 `json:"whole_kg"`
	UsableKg       float64 `json:"usable_kg"` // that is missing
	ChanceEnough   float64 `json:"chance_enough"`
	ExpectedLeftKg float64 `json:"expected_left_kg"`
}

// level is the chance of having enough that is asked for; even odds, the plain arithmetic, where nothing is said.
func (in orderIn) level(bad *invalid.Errors) float64 {
	costs := in.ShortageCost != nil || in.WasteCost != nil
	switch {
	case in.ServiceLevel != nil && costs:
		bad.Add("service_level", "or shortage_cost and waste_cost: give one of them")
	case in.ServiceLevel != nil:
		if !(*in.ServiceLevel > 0 && *in.ServiceLevel < 1) {
			bad.Add("service_level", "must be above 0 and below 1")
		}
		return *in.ServiceLevel
	case costs && (in.ShortageCost == nil || in.WasteCost == nil):
		bad.Add("shortage_cost", "give shortage_cost and waste_cost, both")
	case costs:
		checkMoney(bad, map[string]float64{"shortage_cost": *in.ShortageCost, "waste_cost": *in.WasteCost})
		if *in.ShortageCost+*in.WasteCost <= 0 {
			bad.Add("shortage_cost", "one of the costs must be above 0")
		}
		return planning.Level(*in.ShortageCost, *in.WasteCost)
	}
	return 0.5
}

// order says how much whole fish a service takes, how sure it is to be enough, and what is left over on average.
func (c calculator) order(in orderIn) (orderOut, error) {
	var bad invalid.Errors
	share := 1.0
	if in.Share != nil {
		share = *in.Share
	}
	if !(in.Covers >= 0 && in.Covers <= 100_000) {
		bad.Add("covers", "must be between 0 and 100 000")
	}
	if !(in.CoversSD >= 0 && in.CoversSD <= 100_000) {
		bad.Add("covers_sd", "must be between 0 and 100 000")
	}
	if !(share >= 0 && share <= 1) {
		bad.Add("share", "must be between 0 and 1")
	}
	if !(in.PortionG > 0 && in.PortionG <= 20_000) {
		bad.Add("portion_g", "must be above 0 and at most 20 000")
	}
	if !(in.Yield > 0 && in.Yield <= 1) {
		bad.Add("yield", "must be above 0 and at most 1")
	}
	if !(in.YieldSD >= 0 && in.YieldSD <= 0.5) {
		bad.Add("yield_sd", "must be between 0 and 0.5")
	}
	for field, loss := range map[string]float64{"ageing_loss": in.AgeingLoss, "drip_loss": in.DripLoss} {
		if !(loss >= 0 && loss < 1) {
			bad.Add(field, "must be at least 0 and below 1")
		}
	}
	if !(in.OnHandKg >= 0 && in.OnHandKg <= unit.MaxLotKilograms) {
		bad.Add("on_hand_kg", "%v", unit.ErrMassRange)
	}
	level := in.level(&bad)
	if err := bad.Err(); err != nil {
		return orderOut{}, err
	}
	covers := planning.Estimate{Mean: in.Covers, SD: in.CoversSD}
	bought, err := planning.Wanted{UsableKg: covers.Plates(share).Times(in.PortionG / 1000), OnHandKg: in.OnHandKg, Level: level,
		Chain: planning.Chain{Yield: planning.Estimate{Mean: in.Yield, SD: in.YieldSD}, AgeingLoss: in.AgeingLoss, DripLoss: in.DripLoss}}.Buy()
	if err != nil {
		return orderOut{}, invalid.Errors{{Field: "yield_sd", Message: err.Error()}}
	}
	return orderOut{bought.WholeKg, bought.UsableKg, bought.Enough, bought.LeftKg}, nil
}
