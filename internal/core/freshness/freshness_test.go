package freshness

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"testing"

	"gonum.org/v1/gonum/stat"

	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

func demerit(t testing.TB) Scheme {
	t.Helper()
	s, ok := Get("demerit20")
	if !ok {
		t.Fatal("no scheme demerit20")
	}
	return s
}

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s = %.6g, want %.6g ± %g", what, got, want, tolerance)
	}
}

// The maxima of [FAO348, table 5.2]; they sum to exactly 20.
func TestDemeritMaxima(t *testing.T) {
	s := demerit(t)
	want := map[string]int{"skin": 2, "blood_spots": 3, "stiffness": 3, "belly": 2, "smell": 3, "eye_clarity": 1,
		"eye_shape": 2, "gill_colour": 1, "gill_smell": 3}
	if s.Max() != 20 || len(s.Signs) != len(want) {
		t.Errorf("maximum %d of %d signs, want 20 of %d", s.Max(), len(s.Signs), len(want))
	}
	for id, top := range want {
		if sign, ok := s.Sign(id); !ok || sign.Max() != top {
			t.Errorf("%s: maximum %d, want %d", id, sign.Max(), top)
		}
	}
}

// allAt gives each sign the level nearest to a share of its maximum.
func allAt(s Scheme, share float64) Signs {
	fish := Signs{}
	for _, sign := range s.Signs {
		fish[sign.ID] = int(math.Round(share * float64(sign.Max())))
	}
	return fish
}

func TestReadAge(t *testing.T) {
	s := demerit(t)
	shelf := species.Range{Lo: 9, Hi: 15} // cod: middle 12
	zero, _ := s.Read(shelf, []Fish{{Signs: allAt(s, 0)}})
	near(t, "index 0 reads", zero.Age.Days, 0, 0)
	near(t, "sd of one fish", zero.Age.SD, 12*math.Hypot(0.14, 0.06), 1e-12)

	eight := Signs{"skin": 1, "blood_spots": 1, "stiffness": 2, "belly": 1, "smell": 1, "eye_clarity": 1,
		"eye_shape": 1, "gill_colour": 0, "gill_smell": 0}
	r, _ := s.Read(shelf, []Fish{{Signs: eight}})
	if r.Grade != "fair" {
		t.Errorf("index 8 is %q, want fair", r.Grade)
	}
	near(t, "index 8 reads", r.Age.Days, 12*(8-1)/(15-1), 1e-12)

	five := slices.Repeat([]Fish{{Signs: eight}}, 5)
	r, _ = s.Read(species.Range{Lo: 14, Hi: 14}, five)
	near(t, "95 % half band of five fish of a 14-day species", z95*r.Age.SD, 2.4, 0.1) // the rules say about ±2 days

	worst, _ := s.Read(shelf, []Fish{{Signs: allAt(s, 1)}})
	if !worst.Age.AtLeast || worst.Age.Days != 12 {
		t.Errorf("index 20 reads %+v, want at least 12", worst.Age)
	}
}

func TestMissingSignsScaleTheIndexAndWidenTheBand(t *testing.T) {
	s := demerit(t)
	shelf := species.Range{Lo: 9, Hi: 15}
	fish := Signs{"skin": 1, "belly": 1, "eye_shape": 1, "eye_clarity": 1} // 4 of 7
	r, err := s.Read(shelf, []Fish{{Signs: fish}})
	if err != nil {
		t.Fatal(err)
	}
	near(t, "index", r.Index, 20*4.0/7, 1e-12)
	near(t, "sd", r.Age.SD, 12*math.Sqrt(0.14*0.14*20/7+0.06*0.06), 1e-12)
}

func TestReadRefusesWhatTheSchemeDoesNotKnow(t *testing.T) {
	s := demerit(t)
	for _, c := range []struct {
		name string
		fish []Fish
		want error
	}{
		{"no fish", nil, ErrNoSigns},
		{"a fish without signs", []Fish{{}}, ErrNoSigns},
		{"an unknown sign", []Fish{{Signs: Signs{"fins": 1}}}, ErrUnknownSign},
		{"a level too high", []Fish{{Signs: Signs{"skin": 3}}}, ErrLevel},
		{"a level below 0", []Fish{{Signs: Signs{"skin": -1}}}, ErrLevel},
		{"an unknown explanation", []Fish{{Signs: Signs{"skin": 1}, Explanations: []string{"old_age"}}},
			ErrExplanation},
	} {
		if _, err := s.Read(species.Range{Lo: 9, Hi: 15}, c.fish); !errors.Is(err, c.want) {
			t.Errorf("%s: error %v, want %v", c.name, err, c.want)
		}
	}
}

// The weighted mean against gonum's.
func TestAgeUsed(t *testing.T) {
	read, claimed := Age{Days: 5, SD: 1.5}, Age{Days: 3, SD: 2}
	used, basis := Evidence{ReadAge: &read, DeclaredAge: &claimed}.Used()
	weights := []float64{1 / (1.5 * 1.5), 1 / (2.0 * 2)}
	near(t, "weighted mean", used.Days, stat.Mean([]float64{5, 3}, weights), 1e-12)
	near(t, "its sd", used.SD, 1/math.Sqrt(weights[0]+weights[1]), 1e-12)
	near(t, "gap", Gap(read, claimed), 2/2.5, 1e-12)
	if basis != BasisMean {
		t.Errorf("basis %q, want mean", basis)
	}
	for _, c := range []struct {
		name          string
		read, claimed *Age
		want          Age
		basis         Basis
	}{
		{"nothing known", nil, nil, Age{}, BasisNone},
		{"papers alone", nil, &Age{Days: 3, SD: 2}, Age{Days: 3, SD: 2}, BasisDeclared},
		{"fish alone", &Age{Days: 5, SD: 1}, nil, Age{Days: 5, SD: 1}, BasisRead},
		{"reads older", &Age{Days: 9, SD: 1}, &Age{Days: 2, SD: 1}, Age{Days: 10, SD: 1}, BasisOlder},
		{"reads fresher", &Age{Days: 1, SD: 1}, &Age{Days: 8, SD: 2}, Age{Days: 10, SD: 2}, BasisOlder},
		{"a lower bound pulls the mean up", &Age{Days: 12, SD: 2, AtLeast: true}, &Age{Days: 9, SD: 2},
			Age{Days: 12, SD: math.Sqrt2, AtLeast: true}, BasisMean},
	} {
		got, basis := Evidence{ReadAge: c.read, DeclaredAge: c.claimed}.Used()
		if basis != c.basis || got.AtLeast != c.want.AtLeast {
			t.Errorf("%s: %+v by %q, want %+v by %q", c.name, got, basis, c.want, c.basis)
		}
		near(t, c.name+", days", got.Days, c.want.Days, 1e-9)
		near(t, c.name+", sd", got.SD, c.want.SD, 1e-9)
	}
}

func TestJudge(t *testing.T) {
	s := demerit(t)
	c := func(v float64) *float64 { return &v }
	age := func(d, sd float64) *Age { return &Age{Days: d, SD: sd} }
	fresh := allAt(s, 0)
	with := func(base Signs, id string, level int) Signs {
		out := Signs{}
		for k, v := range base {
			out[k] = v
		}
		out[id] = level
		return out
	}
	tired := Signs{"skin": 1, "blood_spots": 1, "stiffness": 2, "belly": 1, "smell": 1, "eye_clarity": 1,
		"eye_shape": 1, "gill_colour": 1, "gill_smell": 1}
	for _, x := range []struct {
		name, species, profile string
		fish                   Signs
		core                   *float64
		claimed                *Age
		want                   Decision
		rule                   string
		stops                  int
	}{
		{"a histamine clock that is over", "mackerel", "over", fresh, c(1), age(0.5, 2), Refuse, "hard stop", 1},
		{"a histamine clock that nobody knows holds by itself", "mackerel", "unknown", fresh, c(1), age(0.5, 2),
			Accept, "no rule speaks against it", 0},
		{"fresh and cold", "cod", "house-strict", fresh, c(0.8), age(1, 2), Accept, "no rule speaks against it", 0},
		{"exactly at the limit", "cod", "model-code", fresh, c(5), age(1, 2), Accept, "no rule speaks against it", 0},
		{"a tenth above it", "cod", "model-code", fresh, c(5.1), age(1, 2), Refuse, "hard stop", 1},
		{"histamine former at 4.5 °C", "mackerel", "model-code", fresh, c(4.5), age(1, 2), Refuse, "hard stop", 1},
		{"histamine former at 4.4 °C", "mackerel", "model-code", fresh, c(4.4), age(0.5, 2), Accept,
			"no rule speaks against it", 0},
		{"stale smell on a perfect fish", "cod", "eu", with(fresh, "smell", 3), c(1), age(1, 2), Refuse, "hard stop",
			1},
		{"sour gills", "cod", "eu", with(fresh, "gill_smell", 3), c(1), age(1, 2), Refuse, "hard stop", 1},
		{"musty or sour", "cod", "eu", with(fresh, "smell", 2), c(1), age(1, 2), Hold, "second opinion", 0},
		{"burst belly", "cod", "eu", with(fresh, "belly", 2), c(1), age(1, 2), AcceptCook, "caution", 0},
		{"reads older than its papers", "halibut", "eu", tired, c(1), age(1, 2), Hold, "age gap", 0},
		{"is fresher than its papers say", "halibut", "eu", fresh, c(1), age(8, 2), Accept,
			"no rule speaks against it", 0},
		{"past its life", "herring", "eu", tired, c(1), age(3, 2), Refuse, "no life left", 0},
		{"past the rejection index", "cod", "eu", allAt(s, 0.75), c(1), age(9, 2), Refuse, "rejection score", 0},
		{"no papers", "cod", "eu", fresh, c(1), nil, Accept, "no rule speaks against it", 0},
		{"nobody took the core", "cod", "eu", fresh, nil, nil, Hold, "no core temperature", 0},
		{"four signs seen", "cod", "eu", Signs{"skin": 0, "belly": 0, "smell": 0, "stiffness": 0}, c(1), nil,
			AcceptCook, "few signs", 0},
		{"a family that may not be sold", "puffer", "eu", fresh, c(1), nil, Refuse, "hard stop", 1},
	} {
		t.Run(x.name, func(t *testing.T) {
			sp, _ := species.Builtin().Get(x.species)
			profile, _ := safety.GetProfile(x.profile)
			reading, err := s.Read(sp.ShelfLife, []Fish{{Signs: x.fish}})
			if err != nil {
				t.Fatal(err)
			}
			facts := Facts{Scheme: s, Species: sp, Profile: profile, CoreC: x.core, Fish: []Fish{{Signs: x.fish}},
				Reading: reading, DeclaredAge: x.claimed}
			if state, ok := map[string]safety.State{"over": safety.StateStop,
				"unknown": safety.StateUnknown}[x.profile]; ok {
				facts.Profile, _ = safety.GetProfile("eu")
				facts.Clock = &safety.Budget{State: state, Reasons: []string{"9.5 h from death to chilling"}}
			}
			v := Judge(facts)
			if v.Decision != x.want || v.Rule != x.rule || len(v.HardStops) != x.stops || len(v.Reasons) == 0 {
				t.Errorf("got %+v, want %s by %q with %d hard stops", v, x.want, x.rule, x.stops)
			}
			for _, says := range v.Against { // what a claim tells a supplier: the fish, not our rules
				if regexp.MustCompile(`gap|inspect|at best|today only|measure again|fewer than`).MatchString(says) {
					t.Errorf("a claim says %q", says)
				}
			}
		})
	}
}

func ExampleScheme_Read() {
	s, _ := Get("demerit20")
	r, _ := s.Read(species.Range{Lo: 9, Hi: 15},
		[]Fish{{Signs: Signs{"skin": 1, "stiffness": 1, "smell": 1, "eye_shape": 1, "gill_smell": 1, "belly": 0,
			"blood_spots": 0, "eye_clarity": 0, "gill_colour": 0}}})
	fmt.Printf("index %.0f of %d reads %.1f fresh days, ±%.1f\n", r.Index, r.IndexMax, r.Age.Days, z95*r.Age.SD)
	// Output: index 5 of 20 reads 3.4 fresh days, ±3.6
}
