package lot

import (
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
)

// SplitOff says that some of the lot goes on as another: to another place, for a service, to another kitchen. What is
// left keeps the name of the lot.
type SplitOff struct {
	LotID    uuid.UUID `json:"lot_id"`
	Code     string    `json:"code"`
	Count    int       `json:"count"`
	WeightKg float64   `json:"weight_kg"`
}

// Part is the lot that begins.
func (p SplitOff) Part() SplitLot {
	return SplitLot{LotID: p.LotID, Code: p.Code, Count: p.Count, WeightKg: p.WeightKg}
}

func (p SplitOff) Check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	if before.Ageing() != nil {
		bad.Add("lot", "hangs in the ageing cabinet: take it out and weigh it first")
	}
	switch {
	case p.Count < 1:
		bad.Add("count", "must be at least 1")
	case p.Count > before.Count:
		bad.Add("count", "is more than there are: %d", before.Count)
	case p.Count == before.Count && p.Count > 1:
		bad.Add("count", "are all of them: move the lot")
	}
	switch {
	case !(p.WeightKg > 0):
		bad.Add("weight_kg", "must be above 0")
	case before.emptiedBy(p.WeightKg):
		bad.Add("weight_kg", "leaves nothing of the %.2f kg: move the lot", before.WeightKg)
	}
}

func (p SplitOff) Apply(s *State, e Event) {
	s.keepPieceKg()
	s.CostCents -= s.CostCents * p.WeightKg / s.WeightKg
	s.Count, s.WeightKg = max(1, s.Count-p.Count), s.WeightKg-p.WeightKg
}
