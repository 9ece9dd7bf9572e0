package piece

import (
	"math"
	"testing"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/species"
)

// Thickness grows with the cube root of the weight, by body; fillets are slabs of
// two fifths (house); the ends are bounded.
func TestOf(t *testing.T) {
	for _, c := range []struct {
		id, form string
		kg       float64
		shape    heat.Shape
		mm       float64
	}{
		{"cod", "gutted", 1, heat.Cylinder, 65}, {"cod", "gutted", 8, heat.Cylinder, 130},
		{"cod", "fillet_skinless", 1, heat.Slab, 26},
		{"plaice", "whole", 1, heat.Slab, 34}, {"plaice", "fillet_skin_on", 1, heat.Slab, 13.6},
		{"bluefin-tuna", "loin", 8, heat.Cylinder, 144},
		{"sprat", "whole", 0.0001, heat.Cylinder, 8}, {"bluefin-tuna", "gutted", 5000, heat.Cylinder, 500},
	} {
		s, ok := species.Builtin().Get(c.id)
		if !ok {
			t.Fatal(c.id)
		}
		got := Of(s, c.form, c.kg)
		if got.Shape != c.shape || math.Abs(got.ThicknessMM-c.mm) > 0.5 {
			t.Errorf("%s %s of %v kg: %v of %.1f mm, want %v of %.1f", c.id, c.form, c.kg, got.Shape, got.ThicknessMM,
				c.shape, c.mm)
		}
	}
}

// One face counts for slabs alone: a round fish has none.
func TestOneFaceIsOfSlabs(t *testing.T) {
	cod, _ := species.Builtin().Get("cod")
	m, err := heat.Of(cod).Material()
	if err != nil {
		t.Fatal(err)
	}
	slab, round := Piece{heat.Slab, 20, true}.Body(m), Piece{heat.Cylinder, 60, true}.Body(m)
	if !slab.OneFace || round.OneFace || slab.Thickness != 0.02 {
		t.Errorf("%+v, %+v", slab, round)
	}
}
