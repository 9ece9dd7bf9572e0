// Package costing says what fish costs once it is cut: the cost of a whole shared over its parts, what a
// usable kilogram of it costs, and whether fillets would be the better buy. Money is in one currency,
// whatever its unit; weights are in kg.
package costing

import (
	"errors"
	"fmt"
	"math"
)

// Whole is fish that is bought whole and cut here.
type Whole struct {
	Kg            float64 // as bought
	PricePerKg    float64
	Fee           float64 // for cleaning, of all of it
	LabourMinutes float64
	WagePerHour   float64
	ByProducts    float64 // what frames and trim are worth to the kitchen
	Yield         float64 // share of Kg that is usable, 0 to 1
	FilletPerKg   float64 // what a kilogram of the same as fillet costs; 0 where nobody said
}

// Errors of costing.
var (
	ErrWhole = errors.New("give a weight, a price, and a yield above 0 and at most 1")
	ErrParts = errors.New("give parts with a weight, and by value with a value, above 0")
)

// Check returns ErrWhole for what makes no sense.
func (w Whole) Check() error {
	for _, v := range []float64{w.PricePerKg, w.Fee, w.LabourMinutes, w.WagePerHour, w.ByProducts, w.FilletPerKg} {
		if !(v >= 0) || math.IsInf(v, 0) {
			return ErrWhole
		}
	}
	if !(w.Kg > 0) || !(w.Yield > 0 && w.Yield <= 1) {
		return ErrWhole
	}
	return nil
}

// Cost is what all of it costs, cleaned and cut, less what its by-products are worth.
func (w Whole) Cost() float64 {
	return w.PricePerKg*w.Kg + w.Fee + w.LabourMinutes/60*w.WagePerHour - w.ByProducts
}

// UsablePerKg is what a usable kilogram costs.
func (w Whole) UsablePerKg() float64 { return w.Cost() / (w.Kg * w.Yield) }

// PerKg is what a kilogram costs of what is left, a share of a weight that cost so much in all: after drip, ageing, trim.
func PerKg(cost, kg, share float64) float64 { return cost / (kg * share) }

// BreakEven is the yield at which whole fish costs what fillets do:
//
//	(price_whole·m + fee + labour − by-products) / (price_fillet·m)
//
// above it the whole fish is the better buy; +Inf where fillets cost nothing.
func (w Whole) BreakEven() float64 { return w.Cost() / (w.FilletPerKg * w.Kg) }

// Buy is the better buy.
type Buy string

// The buys; either where they are within a hundredth of each other (house).
const (
	BuyWhole  Buy = "whole"
	BuyFillet Buy = "fillet"
	BuyEither Buy = "either"
)

const alike = 0.01

// Better is the better buy by its yield.
func (w Whole) Better() Buy {
	switch usable := w.UsablePerKg(); {
	case usable < w.FilletPerKg*(1-alike):
		return BuyWhole
	case usable > w.FilletPerKg*(1+alike):
		return BuyFillet
	}
	return BuyEither
}

// Method is how the cost of a whole is shared over its parts.
type Method string

// The methods: by what each part is worth (relative sales value at the split-off, the usual one), or by
// what it weighs.
const (
	ByValue  Method = "value"
	ByWeight Method = "weight"
)

// Methods lists them.
var Methods = []Method{ByValue, ByWeight}

// Part is what was cut of a whole.
type Part struct {
	Name       string
	Kg         float64
	ValuePerKg float64 // what a kilogram of it is worth; 0 for waste
}

// PartCost is a part with its share of the cost.
type PartCost struct {
	Part
	Share     float64 // of the whole
	Cost      float64
	CostPerKg float64
}

// Share shares the joint cost of a whole over its parts,
//
//	share = kg·value / Σ kg·value,   or   kg / Σ kg
//
// so that the costs add up to it. The error is ErrParts.
func Share(cost float64, parts []Part, by Method) ([]PartCost, error) {
	if !(cost >= 0) || math.IsInf(cost, 0) {
		return nil, fmt.Errorf("%w: the cost must be at least 0", ErrParts)
	}
	worth := func(p Part) float64 {
		if by == ByWeight {
			return p.Kg
		}
		return p.Kg * p.ValuePerKg
	}
	sum := 0.0
	for _, p := range parts {
		if !(p.Kg > 0) || !(p.ValuePerKg >= 0) || math.IsInf(p.Kg*p.ValuePerKg, 0) {
			return nil, ErrParts
		}
		sum += worth(p)
	}
	if !(sum > 0) || by != ByValue && by != ByWeight {
		return nil, ErrParts
	}
	list := make([]PartCost, len(parts))
	for i, p := range parts {
		share := worth(p) / sum
		list[i] = PartCost{Part: p, Share: share, Cost: share * cost, CostPerKg: share * cost / p.Kg}
	}
	return list, nil
}
