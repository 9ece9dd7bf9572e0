package freshness_test

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/freshness/testfish"
)

// A line that made the fish is found again, within three standard errors.
func TestFitFindsTheLineBack(t *testing.T) {
	s, sp := mustFind(t, "demerit20", "cod")
	rnd := rand.New(rand.NewPCG(2, 9))
	truth := freshness.Calibration{IndexAtDeath: 1, RejectionShare: 0.75, RejectionDay: 0.7, SigmaFish: 0.14,
		SigmaCalibration: 0.06}
	faster := s
	faster.Calibration = &truth // fish that age faster than the default line has it
	var lots []freshness.KnownLot
	for range 400 {
		age := sp.ShelfLife.Mid() * (0.1 + 0.5*rnd.Float64())
		index, _ := s.Index(testfish.Draw(faster, sp.ShelfLife, "whole", age, rnd).Signs)
		lots = append(lots, freshness.KnownLot{Days: age, Index: index})
	}
	got, err := s.Fit(sp.ShelfLife, lots)
	if err != nil {
		t.Fatal(err)
	}
	if math.Abs(got.RejectionDay-0.7) > 0.05 || got.RejectionShare != 0.75 || math.Abs(got.SigmaFish-0.14) > 0.03 ||
		math.Abs(got.SigmaCalibration-got.SigmaFish/20) > 0.02 {
		t.Errorf("fitted %+v, made with %+v", got, truth)
	}
	refit := s
	refit.Calibration = &got
	var five []freshness.Fish
	for range 200 {
		five = append(five, testfish.Draw(faster, sp.ShelfLife, "whole", 5, rnd))
	}
	if r, err := refit.Read(sp.ShelfLife, five); err != nil || math.Abs(r.Age.Days-5) > 0.4 {
		t.Errorf("fish of 5 days read %+v by the fitted line, %v", r.Age, err)
	}
	if r, _ := s.Read(sp.ShelfLife, five); r.Age.Days < 6 {
		t.Errorf("by the default line they read %+v: the test shows nothing", r.Age)
	}
}

// Dates that are off by a day or two make a line of least squares too flat; by the moments it is found
// again, with the scatter of the fish alone.
func TestFitThroughUncertainDates(t *testing.T) {
	s, sp := mustFind(t, "demerit20", "cod")
	rnd := rand.New(rand.NewPCG(7, 4))
	const slope, sd, scatter = 1.25, 2.0, 1.2 // index a day, days, index points
	var lots []freshness.KnownLot
	for range 3000 {
		age := 0.5 + 10*rnd.Float64()
		lots = append(lots, freshness.KnownLot{Days: age + sd*rnd.NormFloat64(), SD: sd,
			Index: 1.5 + slope*age + scatter*rnd.NormFloat64()})
	}
	got, err := s.Fit(sp.ShelfLife, lots)
	mid := sp.ShelfLife.Mid()
	if day := (s.Rejection() - 1.5) / slope; err != nil || math.Abs(got.RejectionDay*mid-day) > 0.3 ||
		math.Abs(got.IndexAtDeath-1.5) > 0.3 || math.Abs(got.SigmaFish*mid-scatter/slope) > 0.25 {
		t.Errorf("fitted %+v, %v", got, err)
	}
	for i := range lots {
		lots[i].SD = 0
	}
	if flat, err := s.Fit(sp.ShelfLife, lots); err == nil && flat.RejectionDay < 1.2*got.RejectionDay {
		t.Errorf("taken as exact the dates make the line no flatter: %+v", flat)
	}
	for i := range lots {
		lots[i].SD = 3
	}
	if _, err := s.Fit(sp.ShelfLife, lots); !errors.Is(err, freshness.ErrVague) {
		t.Errorf("dates of ± 3 days over 10: %v", err)
	}
}

// Exact points on a line give exactly that line.
func TestFitOfExactPoints(t *testing.T) {
	s, sp := mustFind(t, "demerit20", "cod") // middle 12, rejection index 15
	var lots []freshness.KnownLot
	for d := range 10 {
		lots = append(lots, freshness.KnownLot{Days: float64(d), Index: 2 + 1.3*float64(d)})
	}
	got, err := s.Fit(sp.ShelfLife, lots)
	if err != nil || math.Abs(got.IndexAtDeath-2) > 1e-9 || math.Abs(got.RejectionDay-10.0/12) > 1e-9 {
		t.Errorf("fitted %+v, %v; want 2 at death and index 15 on day 10", got, err)
	}
}

func TestFitRefuses(t *testing.T) {
	s, sp := mustFind(t, "demerit20", "cod")
	line := func(n int, from, to, slope float64) []freshness.KnownLot {
		var lots []freshness.KnownLot
		for i := range n {
			d := from + (to-from)*float64(i)/float64(n-1)
			lots = append(lots, freshness.KnownLot{Days: d, Index: 3 + slope*d})
		}
		return lots
	}
	for name, c := range map[string]struct {
		lots []freshness.KnownLot
		want error
	}{
		"few lots":   {line(7, 0, 9, 1.2), freshness.ErrFewKnown},
		"one day":    {line(12, 2, 4, 1.2), freshness.ErrShortSpan},
		"falling":    {line(12, 0, 9, -0.3), freshness.ErrNoSlope},
		"flat":       {line(12, 0, 9, 0), freshness.ErrNoSlope},
		"much later": {line(12, 5, 10, 0.01), freshness.ErrNoSlope},
	} {
		if _, err := s.Fit(sp.ShelfLife, c.lots); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
}
