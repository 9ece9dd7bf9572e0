package freezing

import (
	"errors"
	"math"
	"testing"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/species"
)

func batch(mm, celsius, h float64) Batch {
	cod, _ := species.Builtin().Get("cod")
	return Batch{Food: heat.Of(cod), Piece: piece.Piece{Shape: heat.Slab, ThicknessMM: mm}, StartC: 2,
		Medium: heat.Steady(celsius), H: h, Kg: 10}
}

// Thin fish in a blast is quick by Torry's two hours, thick fish in a chest is
// not; and both sides of the limit are where the core's own curve says.
func TestPassage(t *testing.T) {
	for _, c := range []struct {
		mm, celsius, h float64
		quick          bool
	}{{20, -35, 30, true}, {25, -30, 30, true}, {60, -20, 8, false}, {30, -18, 8, false}} {
		f, err := Predict(batch(c.mm, c.celsius, c.h))
		if err != nil || f.Quick != c.quick {
			t.Errorf("%v mm at %v °C: quick %v after %v, %v", c.mm, c.celsius, f.Quick, f.Passage, err)
		}
		if f.Quick != (f.Passage <= 2*time.Hour) || f.Solid > f.ToMinus18 && f.ToMinus18 != heat.Never {
			t.Errorf("%+v", f)
		}
	}
	warm, err := Predict(batch(20, -18, 20))
	if err != nil || warm.ToMinus20 != heat.Never || warm.ToMinus18 != heat.Never {
		t.Errorf("in air of −18 °C the core gets to −18 after %v, to −20 after %v", warm.ToMinus18, warm.ToMinus20)
	}
}

// What a freezer takes is its power times the time over the heat of each
// kilogram: the sum by hand.
func TestLoadLimit(t *testing.T) {
	power := 300.0
	b := batch(25, -25, 20)
	b.PowerW = &power
	f, err := Predict(b)
	if err != nil || f.MostKg == nil {
		t.Fatal(f, err)
	}
	hi, _ := b.Food.At(2) // the core is at −5 °C, its faces are colder: between the two
	lo, _ := b.Food.At(-5)
	least, _ := b.Food.At(-15)
	if by := hi.EnthalpyKJ - lo.EnthalpyKJ; f.HeatKJ < by || f.HeatKJ > hi.EnthalpyKJ-least.EnthalpyKJ {
		t.Errorf("each kg gives up %v kJ, all of it to −5 °C %v", f.HeatKJ, by)
	}
	five := time.Duration(0)
	for _, m := range f.Curve {
		if five == 0 && m.Core <= -5 {
			five = m.Since
		}
	}
	want := power * five.Seconds() / (1000 * f.HeatKJ)
	if math.Abs(*f.MostKg/want-1) > 0.05 {
		t.Errorf("takes %v kg, by hand %v", *f.MostKg, want)
	}
}

// planned is a batch with the coefficient that the planner itself takes.
func planned(t *testing.T, shape heat.Shape, mm, startC, airC float64, method, wrapping string) Batch {
	t.Helper()
	b := batch(mm, airC, 0)
	b.Piece.Shape, b.StartC = shape, startC
	m, known := GetMethod(method)
	w, wrapped := GetWrapping(wrapping)
	if !known || !wrapped {
		t.Fatal(method, wrapping)
	}
	b.H = m.H(b.Piece, w, airC)
	return b
}

// Reported freezing times to about −20 °C in the core [FAO340], with the planner's own
// defaults.
func TestReportedFreezingTimes(t *testing.T) {
	for _, c := range []struct {
		what             string
		shape            heat.Shape
		mm, startC, airC float64
		method, wrapping string
		hours            float64
	}{
		{"whole fish of 125 mm, singly, blast of 5 m/s", heat.Cylinder, 125, 5, -35, "blast", "bare", 5},
		{"whole fish of 50 mm, singly, blast of 5 m/s", heat.Cylinder, 50, 5, -35, "blast", "bare", 5.0 / 3},
		{"fillets in a waxed carton of 57 mm, plates", heat.Slab, 57, 6, -40, "plate", "carton", 4.0 / 3},
		{"a block of 100 mm, plates", heat.Slab, 100, 5, -37.5, "plate", "bare", 10.0 / 3},
	} {
		f, err := Predict(planned(t, c.shape, c.mm, c.startC, c.airC, c.method, c.wrapping))
		if err != nil {
			t.Fatal(err)
		}
		got := f.ToMinus20.Hours()
		t.Logf("%s: %.2f h, reported %.2f h", c.what, got, c.hours)
		if math.Abs(got/c.hours-1) > 0.15 {
			t.Errorf("%s: %.2f h, reported %.2f h", c.what, got, c.hours)
		}
	}
}

// A freezer's own air speed goes before the usual one of its method; plates have none.
func TestMeasuredAirSpeed(t *testing.T) {
	slow := 0.5
	fan, _ := GetMethod("fan")
	plate, _ := GetMethod("plate")
	if got := fan.In(&slow).Boundary.SpeedMS; got != slow || fan.In(nil) != fan || plate.In(&slow) != plate {
		t.Errorf("%v m/s, %+v, %+v", got, fan.In(nil), plate.In(&slow))
	}
}

func TestWrappingSlowsIt(t *testing.T) {
	bare, _ := Predict(planned(t, heat.Slab, 20, 2, -25, "fan", "bare"))
	boxed, _ := Predict(planned(t, heat.Slab, 20, 2, -25, "fan", "carton"))
	if boxed.ToMinus18 < bare.ToMinus18*3/2 {
		t.Errorf("bare %v, in a carton %v", bare.ToMinus18, boxed.ToMinus18)
	}
	if _, err := Predict(batch(0, -25, 20)); !errors.Is(err, ErrBatch) {
		t.Errorf("a thickness of 0: %v", err)
	}
}
