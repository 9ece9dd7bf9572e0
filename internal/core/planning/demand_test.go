package planning

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/stat/distuv"
)

func near(t *testing.T, name string, got, want, within float64) {
	t.Helper()
	if !(math.Abs(got-want) <= within) {
		t.Errorf("%s: %.4f, want %.4f within %g", name, got, want, within)
	}
}

// The worked example of the rules: 62 guests give or take 9, three in ten order it.
func TestPlates(t *testing.T) {
	plates := Estimate{62, 9}.Plates(0.3)
	near(t, "mean", plates.Mean, 18.6, 1e-9)
	near(t, "sd", plates.SD, 4.5, 0.05)
	near(t, "quantity at nine in ten", plates.Quantity(0.9), 24.37, 0.01)
	near(t, "left of 25", plates.Left(25), 6.6, 0.1)
}

// Guests who choose one by one, counted: the closed forms are what a simulation shows.
func TestEstimateAgainstSimulation(t *testing.T) {
	random := rand.New(rand.NewPCG(24, 1))
	covers, share := Estimate{62, 9}, 0.3
	plates := covers.Plates(share)
	const nights, q = 200_000, 25.0
	var sum, squares, enough, left, short float64
	for range nights {
		guests := math.Round(covers.Mean + covers.SD*random.NormFloat64())
		sold := 0.0
		for range int(guests) {
			if random.Float64() < share {
				sold++
			}
		}
		sum, squares = sum+sold, squares+sold*sold
		left, short = left+math.Max(0, q-sold), short+math.Max(0, sold-q)
		if sold <= q {
			enough++
		}
	}
	mean := sum / nights
	near(t, "mean", plates.Mean, mean, 0.05)
	near(t, "sd", plates.SD, math.Sqrt(squares/nights-mean*mean), 0.05)
	near(t, "left", plates.Left(q), left/nights, 0.1)
	near(t, "short", plates.Short(q), short/nights, 0.1)
	near(t, "enough", plates.Enough(q+0.5), enough/nights, 0.01) // half a plate: plates are whole
}

// The critical ratio costs least: against the cost of each quantity, by the density.
func TestLevelCostsLeast(t *testing.T) {
	demand := Estimate{20, 6}
	normal := distuv.Normal{Mu: demand.Mean, Sigma: demand.SD}
	for _, money := range [][2]float64{{12, 3}, {5, 5}, {8, 1}} {
		shortage, waste := money[0], money[1]
		cost := func(q float64) (sum float64) {
			const step = 0.01
			for x := -20.0; x < 60; x += step {
				sum += step * normal.Prob(x) * (shortage*math.Max(0, x-q) + waste*math.Max(0, q-x))
			}
			return sum
		}
		best := demand.Quantity(Level(shortage, waste))
		for _, other := range []float64{best - 0.5, best + 0.5} {
			if cost(other) <= cost(best) {
				t.Errorf("short %g, waste %g: %.2f costs no more than %.2f", shortage, waste, other, best)
			}
		}
	}
}

func TestCovers(t *testing.T) {
	if _, ok := Covers(nil); ok {
		t.Error("covers of no service are known")
	}
	one, _ := Covers([]float64{60})
	near(t, "one: mean", one.Mean, 60, 0)
	near(t, "one: spread", one.SD, 9, 1e-9)
	four, _ := Covers([]float64{60, 60, 60, 60})
	if !(four.SD < one.SD) {
		t.Errorf("four that are the same: give or take %.1f, one: %.1f", four.SD, one.SD)
	}
	near(t, "a share before anything was sold", Share(0.3, 0, 0), 0.3, 1e-12)
	near(t, "a share after 4000 guests", Share(0.3, 1000, 4000), 0.25, 0.001)
}

func TestBuyByHand(t *testing.T) {
	wanted := Wanted{UsableKg: Estimate{80 * 0.18, 0}, OnHandKg: 2, Level: 0.9,
		Chain: Chain{Yield: Estimate{0.42, 0}, AgeingLoss: 0.05, DripLoss: 0.03}}
	b, err := wanted.Buy()
	if err != nil {
		t.Fatal(err)
	}
	near(t, "whole", b.WholeKg, (14.4-2)/(0.42*0.95*0.97), 1e-9)
	near(t, "usable", b.UsableKg, 12.4, 1e-9)
	near(t, "left", b.LeftKg, 0, 1e-9)

	wanted.FishKg = 3.5
	if b, _ = wanted.Buy(); b.Fish != 10 || math.Abs(b.WholeKg-35) > 1e-9 {
		t.Errorf("%+v, want 10 fish of 3.5 kg", b)
	}
	wanted.BoxKg = 20
	if b, _ = wanted.Buy(); b.Boxes != 2 || b.WholeKg != 40 || b.Fish != 12 {
		t.Errorf("%+v, want 2 boxes, some 12 fish", b)
	}
	wanted.OnHandKg = 20
	if b, _ = wanted.Buy(); b.WholeKg != 0 || b.Boxes != 0 || b.Enough != 1 {
		t.Errorf("%+v, want nothing: there is enough", b)
	}
}

// With an unsure yield, by simulation: as often enough as was asked for.
func TestBuyAgainstSimulation(t *testing.T) {
	random := rand.New(rand.NewPCG(24, 2))
	for _, level := range []float64{0.5, 0.8, 0.9, 0.97} {
		wanted := Wanted{UsableKg: Estimate{6, 1.2}, OnHandKg: 1.5, Level: level,
			Chain: Chain{Yield: Estimate{0.45, 0.03}, DripLoss: 0.02}}
		b, err := wanted.Buy()
		if err != nil {
			t.Fatal(err)
		}
		const nights = 100_000
		var enough, left float64
		for range nights {
			there := 1.5 + b.WholeKg*0.98*(0.45+0.03*random.NormFloat64())
			asked := 6 + 1.2*random.NormFloat64()
			if left += math.Max(0, there-asked); there >= asked {
				enough++
			}
		}
		near(t, "chance", enough/nights, level, 0.006)
		near(t, "chance as said", b.Enough, level, 1e-6)
		near(t, "left", b.LeftKg, left/nights, 0.02)
	}
	if _, err := (Wanted{UsableKg: Estimate{6, 1}, Level: 0.99, Chain: Chain{Yield: Estimate{0.4, 0.3}}}).Buy(); err == nil {
		t.Error("a yield that may be nothing is enough all the same")
	}
}
