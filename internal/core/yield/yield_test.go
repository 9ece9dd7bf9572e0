package yield_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/stat"

	"leancatch/internal/core/yield"
)

// With one unknown alone the model is the normal–normal model, whose posterior stands in any textbook
// (Gelman et al., Bayesian Data Analysis, 2.5, from memory):
//
//	mean = (m/s² + n·ȳ/σ²) / (1/s² + n/σ²),   variance = 1 / (1/s² + n/σ²)
func TestShrinkageIsThatOfTheClosedForm(t *testing.T) {
	prior := yield.Prior{Mean: 0.46, SD: 0.03}
	seen := []float64{0.41, 0.43, 0.40, 0.42}
	var cuts []yield.Cut
	for _, y := range seen {
		cuts = append(cuts, yield.Cut{Fish: 1 << 30, Yield: y}) // so many that no fish counts; nobody knows whose cut
	}
	p, err := yield.Pool(prior, cuts)
	if err != nil {
		t.Fatal(err)
	}
	const cutVariance = 0.012 * 0.012
	n, mean := float64(len(seen)), stat.Mean(seen, nil)
	precision := 1/(0.03*0.03) + n/cutVariance
	want := (0.46/(0.03*0.03) + n*mean/cutVariance) / precision
	got := p.Mean(0, 0)
	if math.Abs(got.Mid-want) > 1e-9 || math.Abs((got.Hi-got.Lo)/2-1.6448536269514722*math.Sqrt(1/precision)) > 1e-9 {
		t.Errorf("%.6f within %.6f to %.6f, want %.6f, give or take %.6f", got.Mid, got.Lo, got.Hi, want, 1.645*math.Sqrt(1/precision))
	}
	none, err := yield.Pool(prior, nil)
	if err != nil || none.Mean(0, 0).Mid != 0.46 || !none.Next(4, 7, 1).Few() {
		t.Errorf("of nothing: %v, %+v", err, none.Next(4, 7, 1))
	}
}

// Of 2,000 cutters whose hands, fish and suppliers are drawn as the model says, nine in ten next cuts lie in their bands.
func TestBandsHoldWhatTheySay(t *testing.T) {
	r := rand.New(rand.NewPCG(90, 23))
	held, all, narrower := 0, 0, 0
	for kitchen := range 500 {
		mu := 0.46 + 0.02*r.NormFloat64()
		hands, boats := make([]float64, 4), make([]float64, 3)
		for i := range hands {
			hands[i] = 0.02 * r.NormFloat64()
		}
		for i := range boats {
			boats[i] = 0.012 * r.NormFloat64()
		}
		draw := func(cutter, supplier, fish int) float64 {
			return mu + hands[cutter] + boats[supplier] + math.Sqrt(0.012*0.012+0.025*0.025/float64(fish))*r.NormFloat64()
		}
		var cuts []yield.Cut
		for range r.IntN(60) {
			c, s, n := r.IntN(4), r.IntN(3), 1+r.IntN(6)
			cuts = append(cuts, yield.Cut{Cutter: int64(c + 1), Supplier: int64(s + 1), Fish: n, Yield: draw(c, s, n)})
		}
		p, err := yield.Pool(yield.Prior{Mean: 0.46, SD: 0.02}, cuts)
		if err != nil {
			t.Fatal(kitchen, err)
		}
		for c := range hands {
			s, n := r.IntN(3), 1+r.IntN(6)
			e := p.Next(int64(c+1), int64(s+1), n)
			if y := draw(c, s, n); y >= e.Lo && y <= e.Hi {
				held++
			}
			if fresh := p.Next(99, 98, n); fresh.Hi-fresh.Lo > e.Hi-e.Lo {
				narrower++
			}
			all++
		}
	}
	if share := float64(held) / float64(all); share < 0.87 || share > 0.93 {
		t.Errorf("%.3f of %d next cuts lie in bands of 90 %%", share, all)
	}
	if narrower < all*8/10 {
		t.Errorf("a cutter who was seen has a narrower band than a stranger in %d of %d cases only", narrower, all)
	}
}

// The best cutter is told from cuts enough, not from a lucky one.
func TestTheBestCutter(t *testing.T) {
	var cuts []yield.Cut
	for range 12 {
		cuts = append(cuts, yield.Cut{Cutter: 1, Fish: 4, Yield: 0.47}, yield.Cut{Cutter: 2, Fish: 4, Yield: 0.44})
	}
	cuts = append(cuts, yield.Cut{Cutter: 3, Fish: 1, Yield: 0.56})
	p, err := yield.Pool(yield.Expected(0.42, 0.50), cuts)
	if err != nil {
		t.Fatal(err)
	}
	if who, e, ok := p.Best(); !ok || who != 1 || e.Few() || !(e.Mid > 0.46 && e.Mid < 0.475) {
		t.Errorf("%d with %+v, %v", who, e, ok)
	}
	if lucky := p.Mean(3, 0); !(lucky.Mid < 0.50) || !lucky.Few() {
		t.Errorf("one lucky cut of one fish: %+v", lucky)
	}
	for _, c := range []yield.Cut{{Fish: 0, Yield: 0.4}, {Fish: 1, Yield: 0}, {Fish: 1, Yield: 1.2}, {Fish: 1, Yield: math.NaN()}} {
		if _, err := yield.Pool(yield.Expected(0.4, 0.5), []yield.Cut{c}); !errors.Is(err, yield.ErrCuts) {
			t.Errorf("%+v: %v", c, err)
		}
	}
}
