package rigor

import (
	"fmt"
	"testing"

	"leancatch/internal/core/species"
)

func get(t *testing.T, id string) species.Species {
	t.Helper()
	s, ok := species.Builtin().Get(id)
	if !ok {
		t.Fatalf("no species %s", id)
	}
	return s
}

var yes, no = true, false

// The rows of [FAO348, table 3.2] and the ranges between them.
func TestAt(t *testing.T) {
	for _, c := range []struct {
		species    string
		celsius    float64
		stressed   *bool
		onset, end Range
		basis      Basis
	}{
		{"cod", 0, &yes, Range{2, 8}, Range{20, 65}, Measured},
		{"cod", 0, &no, Range{14, 15}, Range{72, 96}, Measured},
		{"cod", 0.8, &yes, Range{2, 8}, Range{20, 65}, Measured},
		{"cod", 11, &yes, Range{1, 1}, Range{20, 30}, Measured},
		{"cod", 30, &yes, Range{0.5, 0.5}, Range{1, 2}, Measured},
		{"cod", 5, &yes, Range{1, 8}, Range{20, 65}, Between},
		{"cod", 20, &yes, Range{0.5, 1}, Range{1, 30}, Between},
		{"cod", 11, &no, Range{1, 15}, Range{20, 96}, Between}, // sooner than at 0 °C, later than stressed
		{"cod", 0, nil, Range{2, 15}, Range{20, 96}, Measured}, // nobody knows
		{"plaice", 0, &yes, Range{7, 11}, Range{54, 55}, Measured},
		{"redfish", 0, &yes, Range{22, 22}, Range{120, 120}, Measured},
		{"coalfish", 0, &yes, Range{18, 18}, Range{110, 110}, Measured},
		{"grouper", 2, &no, Range{2, 2}, Range{18, 18}, Measured},
		{"grouper", 10, &no, Range{2, 2}, Range{18, 18}, Between},
		{"haddock", 0, &yes, Range{2, 18}, Range{20, 110}, OtherSpecies},
		{"snapper", 2, &no, Range{1, 9}, Range{18, 26}, OtherSpecies},
	} {
		got := At(get(t, c.species), c.celsius, c.stressed)
		if got.Onset != c.onset || got.End != c.end || got.Basis != c.basis {
			t.Errorf("%s at %v °C: onset %v, end %v, %s; want %v, %v, %s", c.species, c.celsius, got.Onset, got.End,
				got.Basis, c.onset, c.end, c.basis)
		}
	}
	if At(get(t, "grouper"), 2, &no).Warning == "" || At(get(t, "cod"), 2, &no).Warning != "" {
		t.Error("fish of warm water, and only they, need the warning")
	}
}

// What rests on other species is a range, never the one number of one row.
func TestKinGiveARange(t *testing.T) {
	for _, s := range species.Builtin().All() {
		for _, stressed := range []*bool{&yes, &no, nil} {
			if got := At(s, 0, stressed); got.Basis == OtherSpecies && (got.Onset.Lo() == got.Onset.Hi() || got.End.Lo() == got.End.Hi()) {
				t.Errorf("%s: onset %v, end %v", s.ID, got.Onset, got.End)
			}
		}
	}
}

// A history: shares of each time add up, by hand.
func TestFollow(t *testing.T) {
	cod := get(t, "cod")
	for _, c := range []struct {
		what       string
		history    []Stay
		onset, end Range
		stage      Stage
	}{
		{"all at 0 °C, an hour in", []Stay{{1, 0}}, Range{2, 8}, Range{20, 65}, Before},
		{"five hours in", []Stay{{5, 0}}, Range{2, 8}, Range{20, 65}, Stiffens},
		{"ten hours in", []Stay{{10, 0}}, Range{2, 8}, Range{20, 65}, In},
		{"thirty hours in", []Stay{{30, 0}}, Range{2, 8}, Range{20, 65}, Passing},
		{"seventy hours in", []Stay{{70, 0}}, Range{2, 8}, Range{20, 65}, Past},
		// Half an hour at 11 °C is half of the way to the onset there; the other
		// half at 0 °C takes 1 to 4 h. To the end it is 1/40 or 1/60 of the way.
		{"half an hour warm, then ice", []Stay{{0.5, 11}, {0, 0}}, Range{1.5, 4.5},
			Range{0.5 + 20*39.0/40, 0.5 + 65*59.0/60}, Before},
		{"just died", []Stay{{0, 0}}, Range{2, 8}, Range{20, 65}, Before},
	} {
		got := Follow(cod, &yes, c.history)
		same := func(a, b Range) bool { return fmt.Sprintf("%.6f", a) == fmt.Sprintf("%.6f", b) }
		if !same(got.Onset, c.onset) || !same(got.End, c.end) || got.Stage != c.stage {
			t.Errorf("%s: onset %v, end %v, %s; want %v, %v, %s", c.what, got.Onset, got.End, got.Stage, c.onset,
				c.end, c.stage)
		}
	}
}

func TestForbids(t *testing.T) {
	for stage, want := range map[Stage]int{Before: 1, Stiffens: 3, In: 3, Passing: 3, Past: 0} {
		if got := len(stage.Forbids()); got != want {
			t.Errorf("%s forbids %d kinds of work, want %d", stage, got, want)
		}
	}
}
