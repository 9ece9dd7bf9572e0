package freshness_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// randomFish is a fish of a scheme with some of its signs seen.
func randomFish(s freshness.Scheme, form string, rnd *rand.Rand) freshness.Fish {
	fish := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range s.SignsOn(form) {
		if rnd.IntN(8) > 0 || len(fish.Signs) == 0 {
			fish.Signs[sign.ID] = rnd.IntN(len(sign.Levels))
		}
	}
	return fish
}

// everyFit calls do for each scheme with a species and a form that it fits.
func everyFit(do func(s freshness.Scheme, sp species.Species, form string)) {
	for _, s := range freshness.Schemes() {
		done := map[string]bool{}
		for _, sp := range species.Builtin().All() {
			for _, form := range s.Forms {
				kind := fmt.Sprint(sp.Body, form)
				if s.Fits(sp, form, s.Frozen) && !done[kind] {
					done[kind] = true
					do(s, sp, form)
				}
			}
		}
	}
}

func propose(t *testing.T, s freshness.Scheme, sp species.Species, fish ...freshness.Fish) (freshness.Reading,
	freshness.Verdict) {
	t.Helper()
	r, err := s.Read(sp.ShelfLife, fish)
	if err != nil {
		t.Fatal(err)
	}
	profile, _ := safety.GetProfile("house-strict")
	core := 0.5
	if s.Frozen {
		core = -25
	}
	return r, freshness.Judge(freshness.Facts{Scheme: s, Species: sp, Profile: profile, Frozen: s.Frozen,
		CoreC: &core, Fish: fish, Reading: r})
}

// A worse sign never makes a fish better: not its index, its age, its grade nor
// its verdict, whatever else was seen, by any scheme.
func TestAWorseSignNeverHelps(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 6))
	rank := func(d freshness.Decision) int { return slices.Index(freshness.Decisions, d) }
	everyFit(func(s freshness.Scheme, sp species.Species, form string) {
		grade := func(name string) int {
			return slices.IndexFunc(s.Grades, func(g freshness.Grade) bool { return g.Name == name })
		}
		for range 40 {
			fish := randomFish(s, form, rnd)
			r, v := propose(t, s, sp, fish)
			for id, level := range fish.Signs {
				sign, _ := s.Sign(id)
				if level+1 >= len(sign.Levels) {
					continue
				}
				worse := freshness.Fish{Signs: freshness.Signs{}}
				for k, l := range fish.Signs {
					worse.Signs[k] = l
				}
				worse.Signs[id]++
				r2, v2 := propose(t, s, sp, worse)
				if r2.Index <= r.Index || grade(r2.Grade) < grade(r.Grade) || rank(v2.Decision) < rank(v.Decision) ||
					len(v2.HardStops) < len(v.HardStops) {
					t.Fatalf("%s, %v: with a worse %s index %.2f → %.2f, %s → %s, %s → %s", s.Name, fish.Signs, id,
						r.Index, r2.Index, r.Grade, r2.Grade, v.Decision, v2.Decision)
				}
				if r.Age != nil && !r2.Age.AtLeast && r2.Age.Days < r.Age.Days {
					t.Fatalf("%s, %v: with a worse %s it reads %.2f, before %.2f", s.Name, fish.Signs, id,
						r2.Age.Days, r.Age.Days)
				}
			}
		}
	})
}

// A sign less never narrows the band; more fish alike never widen it, and never
// below the error of the line; the order of the fish does not matter.
func TestWhatTheBandRestsOn(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 2))
	everyFit(func(s freshness.Scheme, sp species.Species, form string) {
		if s.Calibration == nil {
			return
		}
		floor := s.Calibration.SigmaCalibration * sp.ShelfLife.Mid()
		for range 15 {
			fish, other := randomFish(s, form, rnd), randomFish(s, form, rnd)
			one, _ := propose(t, s, sp, fish)
			many, _ := propose(t, s, sp, slices.Repeat([]freshness.Fish{fish}, 12)...)
			if many.Age.SD > one.Age.SD || many.Age.SD < floor || math.Abs(many.Index-one.Index) > 1e-9 ||
				many.Grade != one.Grade {
				t.Fatalf("%s: twelve alike read %+v, one %+v", s.Name, *many.Age, *one.Age)
			}
			ab, _ := propose(t, s, sp, fish, other)
			ba, _ := propose(t, s, sp, other, fish)
			if *ab.Age != *ba.Age || ab.Grade != ba.Grade {
				t.Fatalf("%s: the order of the fish matters: %+v, %+v", s.Name, *ab.Age, *ba.Age)
			}
			for id := range fish.Signs {
				if len(fish.Signs) == 1 {
					break
				}
				less := freshness.Fish{Signs: freshness.Signs{}}
				for k, l := range fish.Signs {
					if k != id {
						less.Signs[k] = l
					}
				}
				if r, _ := propose(t, s, sp, less); r.Age.SD < one.Age.SD-1e-12 {
					t.Fatalf("%s: without %s the band is ±%.3f, with it ±%.3f", s.Name, id, r.Age.SD, one.Age.SD)
				}
			}
		}
	})
}

// No explanation lifts a hard stop.
func TestExplanationsNeverLiftAHardStop(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	everyFit(func(s freshness.Scheme, sp species.Species, form string) {
		for range 30 {
			fish := randomFish(s, form, rnd)
			_, before := propose(t, s, sp, fish)
			for _, e := range freshness.Explanations() {
				if !e.Happens(sp) {
					continue
				}
				told := freshness.Fish{Signs: fish.Signs, Explanations: []string{e.ID}}
				_, after := propose(t, s, sp, told)
				if !slices.Equal(before.HardStops, after.HardStops) {
					t.Fatalf("%s: %q changes the hard stops from %v to %v", s.Name, e.Name, before.HardStops,
						after.HardStops)
				}
			}
		}
	})
}

// The age used never lies below both ages, is at least as certain as the better
// of the two where they agree, and is the older plus its sd where they do not.
func TestAgeUsedLiesWhereItMust(t *testing.T) {
	rnd := rand.New(rand.NewPCG(8, 1))
	for range 5000 {
		r := freshness.Age{Days: 15 * rnd.Float64(), SD: 0.2 + 3*rnd.Float64(), AtLeast: rnd.IntN(10) == 0}
		c := freshness.Age{Days: 15 * rnd.Float64(), SD: 0.2 + 4*rnd.Float64()}
		used, basis := freshness.Evidence{ReadAge: &r, DeclaredAge: &c}.Used()
		lo, hi := math.Min(r.Days, c.Days), math.Max(r.Days, c.Days)
		switch basis {
		case freshness.BasisMean:
			if used.Days < lo-1e-12 || used.Days > hi+1e-12 || used.SD > math.Min(r.SD, c.SD) ||
				math.Abs(freshness.Gap(r, c)) > freshness.GapLimit {
				t.Fatalf("mean of %+v and %+v is %+v", r, c, used)
			}
		case freshness.BasisOlder:
			older := r
			if c.Days > r.Days {
				older = c
			}
			if math.Abs(used.Days-hi-older.SD) > 1e-12 || math.Abs(freshness.Gap(r, c)) <= freshness.GapLimit {
				t.Fatalf("the older of %+v and %+v is %+v", r, c, used)
			}
		default:
			t.Fatalf("basis %q", basis)
		}
	}
}

// Frozen fish is held to its profile's own limit, one degree to either side.
func TestFrozenLimitsOfTheProfiles(t *testing.T) {
	s, sp := mustFind(t, "frozen", "cod")
	fish := []freshness.Fish{{Signs: freshness.Signs{"seal": 0, "solid": 0, "frost": 0, "drip": 0, "burn": 0}}}
	r, err := s.Read(sp.ShelfLife, fish)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		profile string
		celsius float64
		want    freshness.Decision
	}{
		// −18 °C with a short rise of 3 [EU853]
		{"eu", -16, freshness.Accept}, {"eu", -14, freshness.Hold},
		{"house-strict", -21, freshness.Accept}, {"house-strict", -19, freshness.Hold},
		// it stays frozen; the figure is house
		{"model-code", -4, freshness.Accept}, {"model-code", -2, freshness.Hold},
	} {
		profile, _ := safety.GetProfile(c.profile)
		v := freshness.Judge(freshness.Facts{Scheme: s, Species: sp, Profile: profile, Frozen: true,
			CoreC: &c.celsius, Fish: fish, Reading: r})
		if v.Decision != c.want || c.want == freshness.Hold && v.Rule != "frozen limit" {
			t.Errorf("%s, core %.0f °C: %s by %q", c.profile, c.celsius, v.Decision, v.Rule)
		}
	}
}
