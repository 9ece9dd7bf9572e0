package portion

import (
	"errors"
	"math"
	"testing"

	"leancatch/internal/core/species"
)

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s = %.6g, want %.6g ± %g", what, got, want, tolerance)
	}
}

var (
	cylinder = Profile{{0, 5}, {1, 5}}
	cone     = Profile{{0, 5}, {1, 0}} // its tip at the tail
)

// A cylinder is cut in equal lengths, a cone where (1 − x)³ = 1 − k/n: the closed forms.
func TestEqualWeightsOfSolids(t *testing.T) {
	const length, grams, n = 400.0, 900.0, 3
	for name, c := range map[string]struct {
		profile Profile
		at      func(share float64) float64
	}{
		"cylinder": {cylinder, func(share float64) float64 { return share }},
		"cone":     {cone, func(share float64) float64 { return 1 - math.Cbrt(1-share) }},
	} {
		pieces, err := Equal(c.profile, length, Span{0, length}, grams, n)
		if err != nil || len(pieces) != n {
			t.Fatal(name, pieces, err)
		}
		for k, p := range pieces {
			near(t, name, p.From, length*c.at(float64(k)/n), 1e-6)
			near(t, name, p.To, length*c.at(float64(k+1)/n), 1e-6)
			near(t, name, p.Grams, 300, 1e-9)
		}
	}
}

// Pieces of a weight run on from each other, and with what is left weigh what went in.
func TestPiecesOfAWeight(t *testing.T) {
	for _, s := range species.Builtin().All() {
		for _, form := range []string{"gutted", "tail", "loin", "fillet_skin_on"} {
			p := ProfileOf(s, form)
			if err := p.Check(); err != nil {
				t.Fatalf("%s, %s: %v", s.ID, form, err)
			}
			pieces, rest, err := OfWeight(p, 520, Span{0, 520}, 1130, 170)
			if err != nil || len(pieces) != 6 {
				t.Fatalf("%s, %s: %d pieces, %v", s.ID, form, len(pieces), err)
			}
			near(t, "the rest", rest, 110, 1e-9)
			for i := 1; i < len(pieces); i++ {
				if pieces[i].From != pieces[i-1].To || pieces[i].To <= pieces[i].From {
					t.Errorf("%s, %s: %v after %v", s.ID, form, pieces[i], pieces[i-1])
				}
			}
			if end := pieces[5].To; end >= 520 {
				t.Errorf("%s, %s: nothing is left behind %v mm", s.ID, form, end)
			}
		}
	}
	if none, rest, err := OfWeight(cylinder, 100, Span{0, 100}, 90, 170); err != nil || len(none) > 0 || rest != 90 {
		t.Errorf("a fish lighter than a portion: %v, %v, %v", none, rest, err)
	}
}

// A first piece that weighs more than it should says that the rest weighs less: the rest is cut anew.
func TestTheScaleCorrectsTheRest(t *testing.T) {
	pieces, err := Equal(cylinder, 300, Span{0, 300}, 600, 3)
	if err != nil {
		t.Fatal(err)
	}
	rest, err := Equal(cylinder, 300, Span{pieces[0].To, 300}, 600-240, 2) // 240 g and not 200
	if err != nil {
		t.Fatal(err)
	}
	near(t, "the second", rest[0].Grams, 180, 1e-9)
	near(t, "begins", rest[0].From, 100, 1e-6)
	near(t, "ends", rest[1].To, 300, 1e-6)
}

func TestCutsThatMakeNoSense(t *testing.T) {
	for name, p := range map[string]Profile{"none": nil, "flat": {{0, 0}, {1, 0}}, "backwards": {{0, 1}, {0.6, 1}, {0.4, 1}, {1, 1}},
		"short": {{0, 1}, {0.9, 1}}, "negative": {{0, 1}, {1, -1}}} {
		if _, err := Equal(p, 300, Span{0, 300}, 500, 3); !errors.Is(err, ErrProfile) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, c := range map[string]struct {
		length, grams float64
		left          Span
		n             int
	}{"no length": {0, 500, Span{0, 300}, 3}, "no weight": {300, 0, Span{0, 300}, 3}, "no pieces": {300, 500, Span{0, 300}, 0},
		"beyond the end": {300, 500, Span{0, 400}, 3}, "nothing left": {300, 500, Span{300, 300}, 3}} {
		if _, err := Equal(cylinder, c.length, c.left, c.grams, c.n); !errors.Is(err, ErrPieces) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, _, err := OfWeight(cylinder, 300, Span{0, 300}, 500, 0); !errors.Is(err, ErrPieces) {
		t.Errorf("portions of nothing: %v", err)
	}
}

// A block of 200 mm, 60 mm high, cut straight down in slices of 5 mm gives 40 of 60 mm; at 30° the knife
// moves 10 mm a slice, and each is 120 mm long.
func TestSlices(t *testing.T) {
	n, mm, err := Slices(200, 60, 5, 90)
	if err != nil || n != 40 || math.Abs(mm-60) > 1e-9 {
		t.Errorf("%d of %v mm, %v", n, mm, err)
	}
	n, mm, err = Slices(200, 60, 5, 30)
	if err != nil || n != 20 && n != 19 || math.Abs(mm-120) > 1e-9 {
		t.Errorf("%d of %v mm, %v", n, mm, err)
	}
	if _, _, err := Slices(200, 60, 5, 0); err == nil {
		t.Error("a knife that lies flat")
	}
}
