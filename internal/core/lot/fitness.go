package lot

import (
	"fmt"

	"leancatch/internal/core/freshness"
)

// RawShare is the first part of the shelf life, in which fish may be served
// raw (house, common practice).
const RawShare = 1.0 / 3

// Use is a use that a lot may be fit for.
type Use struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	OK      bool     `json:"ok"`
	Reasons []string `json:"reasons"` // why not, or under which condition
}

// Fitness says what the lot may be used for now, with the reasons against.
func Fitness(s *State, a Account) []Use {
	sp := s.Species()
	raw := Use{ID: "raw", Name: "raw"}
	cook := Use{ID: "cook", Name: "cook"}
	stock := Use{ID: "stock", Name: "stock"}
	every := func(format string, args ...any) {
		text := fmt.Sprintf(format, args...)
		for _, u := range []*Use{&raw, &cook, &stock} {
			u.Reasons = append(u.Reasons, text)
		}
	}
	if s.Status != OnHand {
		every("no longer on hand: %s", s.Status)
	}
	if s.Hold != "" {
		every("on hold: %s", s.Hold)
	}
	for _, stop := range a.Stops {
		every("%s", stop)
	}
	inspection, inspected := s.Inspection()
	switch {
	case a.Frozen:
	case !inspected && a.Basis == freshness.BasisNone:
		every("age unknown: inspect it")
	case inspected && inspection.Decision == freshness.AcceptStock:
		cook.Reasons = append(cook.Reasons, "accepted for stock and trim only")
	}
	if r := s.toCook(); r != nil {
		raw.Reasons = append(raw.Reasons, "to be cooked: reviewed after a failure")
	}
	if inspected && inspection.Decision != freshness.Accept {
		raw.Reasons = append(raw.Reasons, "decided at the inspection: "+inspection.Decision.Name())
	}
	if a.Frozen || !(a.Oldest <= RawShare*a.Shelf) {
		raw.Reasons = append(raw.Reasons, fmt.Sprintf("not known to be within the first third of its ice life (%.0f ice days)", RawShare*a.Shelf))
	}
	raw.Reasons = append(raw.Reasons, "no parasite freezing or exemption on record")
	if !sp.Stock {
		stock.Reasons = append(stock.Reasons, "frames of this species do not make clear stock")
	}
	uses := []Use{raw, cook, stock}
	for i := range uses {
		uses[i].OK = len(uses[i].Reasons) == 0
	}
	return uses
}
