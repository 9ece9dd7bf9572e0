package planning

import (
	"testing"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
)

func fish(t *testing.T, id, form string, count int, kg float64) Fish {
	t.Helper()
	sp, ok := species.Builtin().Get(id)
	if !ok {
		t.Fatalf("no %s", id)
	}
	return Fish{Species: sp, Form: form, Count: count, Kg: kg}
}

func TestOffers(t *testing.T) {
	raw := Dish{Name: "Raw bream", Species: []string{"sea-bream"}, Part: "fillet_skinless", Pieces: 8, PieceG: 10, Raw: true}
	hake := Dish{Name: "Hake", Species: []string{"hake"}, Part: "fillet_skin_on", Pieces: 1, PieceG: 170}
	plaice := Dish{Name: "Plaice", Species: []string{"plaice"}, Part: WholeFish, Pieces: 1, FishG: species.Range{Lo: 450, Hi: 600}}
	collars := Dish{Name: "Collars", Species: []string{"cod"}, Part: "collar", Pieces: 2, PieceG: 120}
	cakes := Dish{Name: "Cakes", Species: []string{"coalfish"}, Part: "trim", Pieces: 1, PieceG: 120}
	half := fish(t, "sea-bream", "gutted", 4, 2.1)
	half.Yield = func(_, part string) float64 {
		if part == "fillet_skinless" {
			return 0.44
		}
		return 0.5
	}
	frozen := fish(t, "hake", "fillet_skin_on", 10, 2.5)
	frozen.Frozen = true
	for name, c := range map[string]struct {
		dish   Dish
		fish   Fish
		plates int
		kind   string
		cut    bool
	}{
		"whole fish at the kitchen's own yield": {raw, half, 11, KindFlesh, true}, // 2100 g × 0.44 / 80 g = 11.55
		"fillets are used as they are":          {raw, fish(t, "sea-bream", "fillet_skinless", 6, 1), 12, KindFlesh, false},
		"a piece near the portion is one":       {hake, fish(t, "hake", "fillet_skin_on", 24, 3.8), 24, KindFlesh, false},
		"large fillets go by weight":            {hake, fish(t, "hake", "fillet_skin_on", 10, 3.5), 20, KindFlesh, false},
		"frozen ones lose their drip":           {hake, frozen, 14, KindFlesh, false}, // 2500 g × 0.96 / 170 g
		"one fish of its size a plate":          {plaice, fish(t, "plaice", "whole", 16, 8.7), 16, KindFish, false},
		"two collars of each fish":              {collars, fish(t, "cod", "gutted", 6, 21.3), 6, "collar", true},
		"collars that are cut":                  {collars, fish(t, "cod", "collar", 5, 0.6), 2, "collar", false},
		"trim, whatever it is called":           {cakes, fish(t, "coalfish", "tail_piece", 4, 0.5), 4, "trim", false},
	} {
		o, ok := c.dish.From(c.fish)
		if !ok || o.Plates() != c.plates || o.Kind != c.kind || o.Cut != c.cut {
			t.Errorf("%s: %+v, %d plates, want %d of %s", name, o, o.Plates(), c.plates, c.kind)
		}
	}
	for name, c := range map[string]struct {
		dish Dish
		fish Fish
	}{
		"another species":              {raw, fish(t, "cod", "fillet_skinless", 6, 1)},
		"fish that is too large":       {plaice, fish(t, "plaice", "whole", 10, 8.7)},
		"a fillet has no collar":       {collars, fish(t, "cod", "fillet_skin_on", 4, 2)},
		"a small fish is not worth it": {collars, fish(t, "cod", "gutted", 4, 4)},
		"headed fish has none":         {collars, fish(t, "cod", "headed_gutted", 4, 12)},
		"less than a plate":            {hake, fish(t, "hake", "fillet_skin_on", 1, 0.1)},
	} {
		if o, ok := c.dish.From(c.fish); ok {
			t.Errorf("%s: offers %+v", name, o)
		}
	}
}

func TestDishCheck(t *testing.T) {
	wrong := Dish{Species: []string{"unicorn"}, Part: "waste", PieceG: -1, Cut: -1}
	var bad invalid.Errors
	wrong.Check(species.Builtin(), &bad)
	for _, field := range []string{"name", "species", "part", "pieces", "piece_g", "cut_minutes"} {
		if bad.On(field) == "" {
			t.Errorf("nothing is said of %s: %v", field, bad)
		}
	}
}
