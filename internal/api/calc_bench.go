package api

import (
	"slices"

	"leancatch/internal/core/costing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/portion"
	"leancatch/internal/core/unit"
)

type yieldIn struct {
	WholeKg          float64 `json:"whole_kg"`
	WholePricePerKg  float64 `json:"whole_price_per_kg"`
	Yield            float64 `json:"yield"`
	LabourMinutes    float64 `json:"labour_minutes"`
	WagePerHour      float64 `json:"wage_per_hour"`
	Fee              float64 `json:"fee"`
	FramesValue      float64 `json:"frames_value"`
	FilletPricePerKg float64 `json:"fillet_price_per_kg"`
}

type yieldOut struct {
	UsablePerKg float64     `json:"usable_cost_per_kg"`
	BreakEven   float64     `json:"break_even_yield"`
	Buy         costing.Buy `json:"buy"`
}

// mostMoney bounds an amount of money.
const mostMoney = 1e9

// checkMoney adds an error for each field that is below 0 or beyond mostMoney.
func checkMoney(bad *invalid.Errors, fields map[string]float64) {
	for field, v := range fields {
		if !(v >= 0 && v <= mostMoney) {
			bad.Add(field, "must be at least 0")
		}
	}
}

// yield says what a usable kilogram of whole fish costs, and whether fillet is the better buy.
func (c calculator) yield(in yieldIn) (yieldOut, error) {
	var bad invalid.Errors
	if !(in.WholeKg > 0 && in.WholeKg <= unit.MaxLotKilograms) {
		bad.Add("whole_kg", "%v", unit.ErrMassRange)
	}
	if !(in.Yield > 0 && in.Yield <= 1) {
		bad.Add("yield", "must be above 0 and at most 1")
	}
	checkMoney(&bad, map[string]float64{"whole_price_per_kg": in.WholePricePerKg, "labour_minutes": in.LabourMinutes,
		"wage_per_hour": in.WagePerHour, "fee": in.Fee, "frames_value": in.FramesValue})
	if !(in.FilletPricePerKg > 0 && in.FilletPricePerKg <= mostMoney) {
		bad.Add("fillet_price_per_kg", "must be above 0")
	}
	if err := bad.Err(); err != nil {
		return yieldOut{}, err
	}
	w := costing.Whole{Kg: in.WholeKg, PricePerKg: in.WholePricePerKg, Fee: in.Fee, LabourMinutes: in.LabourMinutes,
		WagePerHour: in.WagePerHour, ByProducts: in.FramesValue, Yield: in.Yield, FilletPerKg: in.FilletPricePerKg}
	return yieldOut{w.UsablePerKg(), w.BreakEven(), w.Better()}, nil
}

type portionIn struct {
	Species  string   `json:"species"`
	Form     string   `json:"form"`
	LengthMM float64  `json:"length_mm"`
	WeightKg float64  `json:"weight_kg"`
	PortionG *float64 `json:"portion_g"`
	Pieces   *int     `json:"pieces"`
}

type portionOut struct {
	CutsMM     []float64  `json:"cuts_mm"` // from the head end
	Pieces     []pieceOut `json:"pieces"`
	RemainderG float64    `json:"remainder_g"`
}

type pieceOut struct {
	Grams  float64 `json:"grams"`
	FromMM float64 `json:"from_mm"`
	ToMM   float64 `json:"to_mm"`
}

// mostPieces bounds the pieces of one fish.
const mostPieces = 200

// portion says where to cut a tapered fish or fillet into pieces of a weight, or so many of the same.
func (c calculator) portion(in portionIn) (portionOut, error) {
	var bad invalid.Errors
	sp := c.speciesOf(in.Species, &bad)
	if !slices.Contains(lot.Forms, in.Form) {
		bad.Add("form", "is not a form")
	}
	if !(in.LengthMM >= 10 && in.LengthMM <= 6000) {
		bad.Add("length_mm", "must be between 10 and 6000")
	}
	if !(in.WeightKg > 0 && in.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight_kg", "%v", unit.ErrMassRange)
	}
	grams := 1000 * in.WeightKg
	switch {
	case (in.PortionG == nil) == (in.Pieces == nil):
		bad.Add("portion_g", "give portion_g or pieces, and one of them")
	case in.Pieces != nil && !(*in.Pieces >= 1 && *in.Pieces <= mostPieces):
		bad.Add("pieces", "must be between 1 and %d", mostPieces)
	case in.PortionG != nil && !(*in.PortionG >= grams/mostPieces):
		bad.Add("portion_g", "must be above 0, and at least a part in %d of the fish", mostPieces)
	}
	if err := bad.Err(); err != nil {
		return portionOut{}, err
	}
	p, all := portion.ProfileOf(sp, in.Form), portion.Span{To: in.LengthMM}
	var out portionOut
	var pieces []portion.Piece
	var err error
	if in.Pieces != nil {
		pieces, err = portion.Equal(p, in.LengthMM, all, grams, *in.Pieces)
	} else {
		pieces, out.RemainderG, err = portion.OfWeight(p, in.LengthMM, all, grams, *in.PortionG)
	}
	if err != nil {
		return out, err
	}
	out.CutsMM, out.Pieces = []float64{}, make([]pieceOut, len(pieces))
	for i, piece := range pieces {
		out.Pieces[i] = pieceOut{piece.Grams, piece.From, piece.To}
		if i < len(pieces)-1 || out.RemainderG > 0 {
			out.CutsMM = append(out.CutsMM, piece.To)
		}
	}
	return out, nil
}

type splitCostIn struct {
	LandedCost    float64        `json:"landed_cost"`
	LabourMinutes float64        `json:"labour_minutes"`
	WagePerHour   float64        `json:"wage_per_hour"`
	By            costing.Method `json:"by"`
	Parts         []struct {
		Name       string  `json:"name"`
		Kg         float64 `json:"kg"`
		ValuePerKg float64 `json:"value_per_kg"`
	} `json:"parts"`
}

type splitCostOut struct {
	Parts []partCostOut `json:"parts"`
}

type partCostOut struct {
	Name      string  `json:"name"`
	CostPerKg float64 `json:"cost_per_kg"`
	Share     float64 `json:"share"`
}

// mostParts bounds the parts of one whole.
const mostParts = 100

// splitCost shares the cost of a whole, and of the work on it, over its parts.
func (c calculator) splitCost(in splitCostIn) (splitCostOut, error) {
	var bad invalid.Errors
	checkMoney(&bad, map[string]float64{"landed_cost": in.LandedCost, "labour_minutes": in.LabourMinutes, "wage_per_hour": in.WagePerHour})
	if !slices.Contains(costing.Methods, in.By) {
		bad.Add("by", "must be value or weight")
	}
	if len(in.Parts) == 0 || len(in.Parts) > mostParts {
		bad.Add("parts", "give 1 to %d parts", mostParts)
	}
	if err := bad.Err(); err != nil {
		return splitCostOut{}, err
	}
	parts := make([]costing.Part, len(in.Parts))
	for i, p := range in.Parts {
		parts[i] = costing.Part{Name: p.Name, Kg: p.Kg, ValuePerKg: p.ValuePerKg}
	}
	shared, err := costing.Share(in.LandedCost+in.LabourMinutes/60*in.WagePerHour, parts, in.By)
	if err != nil {
		return splitCostOut{}, invalid.Errors{{Field: "parts", Message: err.Error()}}
	}
	out := splitCostOut{Parts: make([]partCostOut, len(shared))}
	for i, p := range shared {
		out.Parts[i] = partCostOut{p.Name, p.CostPerKg, p.Share}
	}
	return out, nil
}
