// Package piece guesses how heat flows through one fish, fillet or portion,
// from its species, form and weight. Measure the thickness where it matters.
package piece

import (
	"math"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/species"
)

// Piece is one fish or cut of it.
type Piece struct {
	Shape       heat.Shape
	ThicknessMM float64 // of the thickest part, full
	OneFace     bool    // lies on something that takes and gives no heat
}

// filletShare is the thickness of a fillet against that of its fish (house).
const filletShare = 0.4

// Of guesses the piece: fillets, what is cut of them and flat fish are slabs, what is round a
// cylinder. form is one of lot.Forms, kg the weight of one.
func Of(s species.Species, form string, kg float64) Piece {
	p := Piece{Shape: heat.Cylinder, ThicknessMM: ThicknessMM(s, kg)}
	switch {
	case cutting.Slab(form):
		p.Shape, p.ThicknessMM = heat.Slab, p.ThicknessMM*filletShare
	case s.Body == species.Flat || s.Body == species.Ray:
		p.Shape = heat.Slab
	}
	return p
}

// Cut is a piece that was cut of another, by the form that it has now: a fillet, and what is cut of a fish
// along its flesh, is thinner than its fish; what is cut of a fillet, or across the bone, is as thick as
// that was.
func (p Piece) Cut(from, to string) Piece {
	if !cutting.Slab(to) {
		return p
	}
	if !cutting.Slab(from) && to != "steak" {
		p.ThicknessMM *= filletShare
	}
	p.Shape = heat.Slab
	return p
}

// ThicknessMM guesses the thickest part of one fish from its weight, mm: it
// grows with the cube root (house; a round fish of 1 kg is about 65 mm thick).
func ThicknessMM(s species.Species, kg float64) float64 {
	perKg := map[species.Body]float64{species.Flat: 34, species.Ray: 30, species.LargePelagic: 72}[s.Body]
	if perKg == 0 {
		perKg = 65
	}
	return math.Min(math.Max(perKg*math.Cbrt(kg), 8), 500)
}

// Body is the piece as the heat solver takes it.
func (p Piece) Body(m *heat.Material) heat.Body {
	return heat.Body{Material: m, Shape: p.Shape, Thickness: p.ThicknessMM / 1000,
		OneFace: p.OneFace && p.Shape == heat.Slab}
}
