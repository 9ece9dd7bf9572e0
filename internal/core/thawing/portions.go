package thawing

import (
	"fmt"
	"math"

	"leancatch/internal/core/species"
)

// DripShare is the weight that thawing costs (house; quick-frozen fish loses
// less, slowly frozen more).
const DripShare = 0.04

// Need is how much fish some portions take.
type Need struct {
	Kg    float64 // frozen, as it lies in the freezer
	Usage string  // how it was calculated
}

// PortionSlack is how far a piece may be off a portion and still be one.
const PortionSlack = 0.25

// Portions calculates how much frozen fish of a form some portions take, kg:
//
//	portions · portion / (1 − drip) / yield
//
// The yield is the middle of the species' range, in the state in which the fish is weighed.
func Portions(s species.Species, form string, portions int, portionKg float64) Need {
	share := Yield(s, form)
	kg := float64(portions) * portionKg / (1 - DripShare) / share
	usage := fmt.Sprintf("%d × %.0f g, %.0f %% drip", portions, 1000*portionKg, 100*DripShare)
	if share < 1 {
		usage += fmt.Sprintf(", %.0f %% of it is fillet", 100*share)
	}
	return Need{kg, usage}
}

// Yield is the share of a form that ends on plates.
func Yield(s species.Species, form string) float64 {
	if basis, ok := species.BasisOf(form); ok {
		return s.Fillets(basis, false).Mid()
	}
	return 1
}

// Pieces is how many pieces of a weight are pulled: one for each portion where
// they are about as big, else as many as weigh enough.
func (n Need) Pieces(portions int, portionKg, pieceKg float64) int {
	if math.Abs(pieceKg-portionKg) <= PortionSlack*portionKg {
		return portions
	}
	return int(math.Ceil(n.Kg/pieceKg - 1e-9))
}
