package kitchen

import (
	"context"

	"leancatch/internal/core/costing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
)

// CostStep is what a kilogram of a lot costs at a step of its way to the plate.
type CostStep struct {
	Name  string
	Share float64 // of its weight now that is left by then
	PerKg float64 // hundredths
}

// CostSteps follow the cost of a lot from as it lies to the plate: thawed, aged to its target and trimmed, cut. There are
// none where nobody knows what it cost.
func (k *Kitchen) CostSteps(ctx context.Context, card Card) ([]CostStep, error) {
	s, a := card.State, ActorFrom(ctx)
	if s.CostCents <= 0 || s.WeightKg <= 0 || s.Status != lot.OnHand {
		return nil, nil
	}
	var steps []CostStep
	share := 1.0
	add := func(name string, left float64) {
		share *= left
		steps = append(steps, CostStep{name, share, costing.PerKg(s.CostCents, s.WeightKg, share)})
	}
	add("as it lies", 1)
	if s.Frozen() {
		add("thawed", 1-thawing.DripShare)
	}
	if hung := card.Assessment.Ageing; hung != nil && s.Ageing() != nil {
		add("aged to its target, as flesh", (1-hung.Stay.Target)*hung.Stay.Kg/s.WeightKg*hung.UsableThen)
		return steps, nil
	}
	if cutting.IsCut(s.Form) || s.Cooked != nil {
		return steps, nil
	}
	for _, part := range cutting.PartsOf(s.Species(), s.Form) {
		if !isMain(part.ID) {
			continue
		}
		y, err := k.yieldOf(ctx, k.DB.Queries, a.Site, s.Species(), s.Form, part.ID, k.Now())
		if err != nil {
			return nil, err
		}
		add(part.Name, y.Mean(0, s.Received.SupplierID).Mid)
		break
	}
	return steps, nil
}
