package freshness_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/freshness/testfish"
	"leancatch/internal/core/species"
)

// cases is how many fish or lots each simulation draws, from fixed seeds.
const cases = 2000

func mustFind(t *testing.T, scheme, sp string) (freshness.Scheme, species.Species) {
	t.Helper()
	x, ok := species.Builtin().Get(sp)
	s, found := freshness.Find(scheme, x)
	if !ok || !found {
		t.Fatalf("no scheme %s for %s", scheme, sp)
	}
	return s, x
}

// The 95 % band contains the true age of simulated lots in 93 to 97 % of cases,
// for one fish and for three, and the reading is not biased by more than a
// twentieth of the middle of the shelf life.
func TestBandsCoverSimulatedFish(t *testing.T) {
	for i, c := range []struct {
		scheme, species, form string
		fish                  int
	}{
		{"demerit20", "cod", "whole", 1}, {"demerit20", "cod", "gutted_gills_out", 3},
		{"demerit20", "plaice", "gutted", 1}, {"demerit20", "sardine", "whole", 1},
		{"grade", "haddock", "gutted", 1}, {"grade", "mackerel", "whole", 3}, {"grade", "thornback-ray", "whole", 1},
		{"grade", "anglerfish", "tail", 3},
		{"quick", "cod", "whole", 1}, {"cutface", "yellowfin-tuna", "loin", 1},
	} {
		s, sp := mustFind(t, c.scheme, c.species)
		rnd := rand.New(rand.NewPCG(11, uint64(i)))
		shelf, mid := sp.ShelfLife, sp.ShelfLife.Mid()
		covered, bias := 0, 0.0
		for range cases {
			age := mid * (0.15 + 0.55*rnd.Float64())
			// the line's own error, shared by the fish of one lot
			line := s.Calibration.SigmaCalibration * mid * rnd.NormFloat64()
			var fish []freshness.Fish
			for range c.fish {
				fish = append(fish, testfish.Draw(s, shelf, c.form, age+line, rnd))
			}
			r, err := s.Read(shelf, fish)
			if err != nil {
				t.Fatal(err)
			}
			bias += (r.Age.Days - age) / mid / cases
			if math.Abs(r.Age.Days-age) <= r.Age.Band() {
				covered++
			}
		}
		if share := float64(covered) / cases; share < 0.93 || share > 0.97 {
			t.Errorf("%s, %d %s: the 95 %% band covers %.1f %%", s.Name, c.fish, sp.Name, 100*share)
		}
		if math.Abs(bias) > 0.05 {
			t.Errorf("%s, %d %s: biased by %.3f of the middle of the shelf life", s.Name, c.fish, sp.Name, bias)
		}
	}
}

// The mean reading of many fish grows with their age and stays within 6 % of the
// middle of the shelf life of it.
func TestReadIsLinear(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 1))
	for _, scheme := range []string{"demerit20", "grade"} {
		s, sp := mustFind(t, scheme, "cod")
		mid, before := sp.ShelfLife.Mid(), -1.0
		for age := 0.2 * mid; age < 0.8*mid; age += 0.1 * mid {
			var sum float64
			for range cases {
				index, _ := s.Index(testfish.Draw(s, sp.ShelfLife, "whole", age, rnd).Signs)
				sum += (index - s.Calibration.IndexAtDeath) * mid / (s.Rejection() - s.Calibration.IndexAtDeath)
			}
			mean := sum / cases
			if math.Abs(mean-age) > 0.06*mid || mean < before {
				t.Errorf("%s: fish of %.1f days read %.2f in the mean, those before %.2f", scheme, age, mean, before)
			}
			before = mean
		}
	}
}

// Under 5 % of consistent fish are said to be mixed, and over 80 % of those of
// which one sign runs three days ahead of or behind the others and can show it:
// where the same fish without jitter would be named.
func TestMixedEvidenceOnSimulatedFish(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 8))
	named := func(s freshness.Scheme, sp species.Species, fish freshness.Fish, sign string) bool {
		return slices.ContainsFunc(s.Mixed(sp, []freshness.Fish{fish}), func(m freshness.Mixed) bool {
			return m.Sign == sign
		})
	}
	for _, scheme := range []string{"demerit20", "grade", "quick"} {
		s, sp := mustFind(t, scheme, "cod")
		alarms := 0
		for range cases {
			age := sp.ShelfLife.Mid() * rnd.Float64()
			if len(s.Mixed(sp, []freshness.Fish{testfish.Draw(s, sp.ShelfLife, "whole", age, rnd)})) > 0 {
				alarms++
			}
		}
		if share := float64(alarms) / cases; share >= 0.05 {
			t.Errorf("%s: %.1f %% of consistent fish are said to be mixed", s.Name, 100*share)
		}
	}
	for _, scheme := range []string{"demerit20", "grade"} {
		shown, hit := 0, 0
		for draw := 0; shown < cases; draw++ {
			if draw > 500*cases {
				t.Fatalf("%s: only %d fish could show a sign three days off", scheme, shown)
			}
			s, sp := mustFind(t, scheme, []string{"sardine", "herring", "whiting", "bonito"}[draw%4])
			whole := testfish.Ageing(s, sp.ShelfLife, "whole", sp.ShelfLife.Mid()*rnd.Float64(), rnd)
			signs := s.SignsOn("whole")
			sign, off := signs[rnd.IntN(len(signs))], 3.0
			if rnd.IntN(2) == 0 {
				off = -3
			}
			level := testfish.Level(s, sp.ShelfLife, sign, whole+off)
			clean := testfish.At(s, sp.ShelfLife, "whole", whole)
			clean.Signs[sign.ID] = level
			if !named(s, sp, clean, sign.ID) {
				continue
			}
			shown++
			fish := testfish.Around(s, sp.ShelfLife, "whole", whole, rnd)
			fish.Signs[sign.ID] = level
			if named(s, sp, fish, sign.ID) {
				hit++
			}
		}
		if share := float64(hit) / float64(shown); share <= 0.80 {
			t.Errorf("%s: only %.1f %% of the signs three days off are named", scheme, 100*share)
		} else {
			t.Logf("%s: %.1f %% named", scheme, 100*share)
		}
	}
}
