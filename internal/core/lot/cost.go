package lot

// landedCents is what a receipt cost, hundredths of the kitchen's currency: its price and the
// fee for cleaning it. It is 0 where nobody said the price.
func (p Received) landedCents() float64 {
	if p.PriceCents == 0 {
		return 0
	}
	return float64(p.PriceCents)*p.WeightKg + float64(p.FeeCents)
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
