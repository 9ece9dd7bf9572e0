package lot

import (
	"slices"

	"leancatch/internal/core/invalid"
)

// PriceFor is what a price is for, where it is not for a kilogram.
type PriceFor string

// What is sold by the piece, or by the box.
const (
	PerPiece PriceFor = "piece"
	PerBox   PriceFor = "box"
)

// PricesFor lists them.
var PricesFor = []PriceFor{PerPiece, PerBox}

// Name is it in words.
func (f PriceFor) Name() string { return map[PriceFor]string{PerPiece: "a piece", PerBox: "a box"}[f] }

// DeliveredCents is what a receipt cost delivered, hundredths of the kitchen's currency: its price a
// kilogram, a piece or a box, the fee for cleaning it and the freight. It is 0 where nobody said the
// price.
func (p Received) DeliveredCents() float64 {
	units := map[PriceFor]int{PerPiece: p.Count, PerBox: max(p.Boxes, 1)}[p.PriceFor]
	price := float64(p.PriceCents)*p.WeightKg + float64(p.UnitCents)*float64(units)
	if price == 0 {
		return 0
	}
	return price + float64(p.FeeCents) + float64(p.FreightCents)
}

// checkPriceFor adds what is wrong with a price that is not for a kilogram.
func (p Received) checkPriceFor(bad *invalid.Errors) {
	switch {
	case p.PriceFor != "" && !slices.Contains(PricesFor, p.PriceFor):
		bad.Add("price_for", "is for a piece or a box")
	case p.UnitCents > 0 && p.PriceFor == "":
		bad.Add("price_for", "say what the price is for")
	case p.UnitCents > 0 && p.PriceCents > 0:
		bad.Add("unit_price_cents", "or a price a kilogram: give one of them")
	case p.Boxes < 0 || p.Boxes > 10000:
		bad.Add("boxes", "must be between 1 and 10 000")
	}
}

// CostShare is what a part of the lot cost, hundredths, when it is split into parts: by weight,
// so that all of them cost what the lot did. It is 0 where that is not known.
func (s *State) CostShare(part SplitLot, parts []SplitLot) float64 {
	all := 0.0
	for _, p := range parts {
		all += p.WeightKg
	}
	return s.CostCents * part.WeightKg / all
}
