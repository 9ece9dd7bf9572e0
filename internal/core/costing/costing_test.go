package costing

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"
)

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s = %.6g, want %.6g ± %g", what, got, want, tolerance)
	}
}

// By hand: whole at 19, fillet at 38 a kilogram break even at 50 %; a cleaning fee of 9 on a fish of
// 4.5 kg moves that to (19·4.5 + 9)/(38·4.5) = 94.5/171 = 55.3 %.
func TestBreakEvenByHand(t *testing.T) {
	w := Whole{Kg: 4.5, PricePerKg: 19, FilletPerKg: 38, Yield: 0.55}
	near(t, "break-even", w.BreakEven(), 0.5, 1e-12)
	if w.Better() != BuyWhole {
		t.Errorf("a yield of 55 %% against 50: buy %s", w.Better())
	}
	w.Fee = 9
	near(t, "with the fee", w.BreakEven(), 0.5526, 1e-4)
	if w.Better() != BuyEither {
		t.Errorf("a yield of 55 %% against 55.3: buy %s", w.Better())
	}
	w.LabourMinutes, w.WagePerHour = 20, 21 // 7 more
	near(t, "with labour", w.BreakEven(), 101.5/171, 1e-12)
	near(t, "a usable kilogram", w.UsablePerKg(), 101.5/(4.5*0.55), 1e-12)
	if w.Better() != BuyFillet {
		t.Errorf("a yield of 55 %% against 59: buy %s", w.Better())
	}
	w.ByProducts = 16
	near(t, "less what the frames are worth", w.BreakEven(), 0.5, 1e-12)
	if math.Abs(w.UsablePerKg()-w.FilletPerKg) > 4 || w.Check() != nil {
		t.Errorf("%v, %v", w.UsablePerKg(), w.Check())
	}
	for name, change := range map[string]func(*Whole){"no weight": func(w *Whole) { w.Kg = 0 }, "no yield": func(w *Whole) { w.Yield = 0 },
		"more than all": func(w *Whole) { w.Yield = 1.2 }, "NaN": func(w *Whole) { w.Fee = math.NaN() }, "a debt": func(w *Whole) { w.WagePerHour = -1 }} {
		broken := w
		change(&broken)
		if broken.Check() == nil {
			t.Errorf("%s was taken", name)
		}
	}
}

// The worked example of joint costs in [Horngren]: raw milk for 400,000 gives 25,000 gallons of cream
// worth 8 each and 75,000 of skim worth 4 each. By sales value at the split-off they bear 160,000 and
// 240,000, by volume 100,000 and 300,000.
func TestJointCostOfTheTextbook(t *testing.T) {
	parts := []Part{{"cream", 25000, 8}, {"skim", 75000, 4}}
	by, err := Share(400000, parts, ByValue)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "cream by value", by[0].Cost, 160000, 1e-6)
	near(t, "skim by value", by[1].Cost, 240000, 1e-6)
	near(t, "a gallon of cream", by[0].CostPerKg, 6.4, 1e-9)
	if by, err = Share(400000, parts, ByWeight); err != nil {
		t.Fatal(err)
	}
	near(t, "cream by volume", by[0].Cost, 100000, 1e-6)
	near(t, "skim by volume", by[1].Cost, 300000, 1e-6)
}

// Whatever the parts, what they cost adds up to what was paid; waste bears nothing by value.
func TestSharesAddUp(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 2000 {
		parts := []Part{{"fillet", 0.1 + r.Float64(), 5 + 40*r.Float64()}}
		for range r.IntN(8) {
			parts = append(parts, Part{"part", 0.01 + r.Float64(), math.Floor(3*r.Float64()) * 10 * r.Float64()})
		}
		cost := 100 * r.Float64()
		for _, by := range Methods {
			shared, err := Share(cost, parts, by)
			if err != nil {
				t.Fatal(err)
			}
			sum := 0.0
			for _, p := range shared {
				sum += p.Cost
				if by == ByValue && p.ValuePerKg == 0 && p.Cost != 0 {
					t.Errorf("waste bears %v", p.Cost)
				}
			}
			near(t, "the sum", sum, cost, 1e-9)
		}
	}
	for name, c := range map[string]struct {
		cost  float64
		parts []Part
		by    Method
	}{"no parts": {1, nil, ByValue}, "no value": {1, []Part{{"waste", 1, 0}}, ByValue}, "no weight": {1, []Part{{"x", 0, 1}}, ByWeight},
		"a method": {1, []Part{{"x", 1, 1}}, "taste"}, "a debt": {-1, []Part{{"x", 1, 1}}, ByValue}} {
		if _, err := Share(c.cost, c.parts, c.by); !errors.Is(err, ErrParts) {
			t.Errorf("%s: %v", name, err)
		}
	}
}
