package cutting_test

import (
	"math"
	"slices"
	"testing"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/species"
)

// Each species has parts in each form in which fish is delivered; each knows no more of a body than it has; and the usual
// shares of what is cut together leave no more than went in.
func TestEachBodyComesApart(t *testing.T) {
	for _, sp := range species.Builtin().All() {
		for _, form := range []string{"whole", "gutted", "headed_gutted", "fillet_skin_on", "loin"} {
			if !sp.Fish() {
				continue
			}
			parts := cutting.PartsOf(sp, form)
			if len(parts) < 3 || parts[len(parts)-1].ID != cutting.Waste {
				t.Fatalf("%s, %s: %v", sp.ID, form, parts)
			}
			for _, p := range parts {
				if share := cutting.UsualShare(sp, form, p.ID); !(share > 0 && share < 1.0001) {
					t.Errorf("%s, %s: %s is usually %.3f", sp.ID, form, p.ID, share)
				}
			}
			if form == "headed_gutted" && slices.ContainsFunc(parts, func(p cutting.Part) bool { return p.ID == "head" || p.ID == "cheek" }) {
				t.Errorf("%s has a head on after it was headed", sp.ID)
			}
		}
		if _, basis := species.BasisOf("gutted"); basis && sp.Body == species.Round {
			sum := 0.0
			for _, part := range []string{"fillet_skin_on", "head", "frame", cutting.Waste} {
				sum += cutting.UsualShare(sp, "gutted", part)
			}
			if sum > 1.03 || sum < 0.6 {
				t.Errorf("%s: fillets, head, frame and waste are %.2f of it", sp.ID, sum)
			}
		}
	}
	turbot, _ := species.Builtin().Get("turbot")
	if p := cutting.PartsOf(turbot, "gutted")[0]; p.PerFish != 4 {
		t.Errorf("a flat fish has %d fillets", p.PerFish)
	}
}

// What was not weighed is given what is left, by usual proportions: fillets and the bin on the scale, two parts not.
func TestTheUsualSplit(t *testing.T) {
	cod, _ := species.Builtin().Get("cod")
	list := []cutting.Weighed{{Part: "fillet_skin_on", Kg: 3.8}, {Part: "frame"}, {Part: "collar"}, {Part: cutting.Waste, Kg: 1.9}}
	out, err := cutting.UsualSplit(cod, "gutted", 8, list)
	if err != nil || out[0].Estimated || !out[1].Estimated || math.Abs(out[0].Kg+out[1].Kg+out[2].Kg+out[3].Kg-8) > 1e-9 || !(out[1].Kg > out[2].Kg) {
		t.Errorf("%v: %+v", err, out)
	}
	if _, err := cutting.UsualSplit(cod, "gutted", 5, list); err == nil {
		t.Error("nothing is left, and something was given")
	}
	for _, c := range []struct {
		in, out float64
		rinsed  bool
		missing bool
		wrong   bool
	}{{10, 9.9, false, false, false}, {10, 9.7, false, true, false}, {10, 10.1, false, false, true}, {10, 10.18, true, false, false}, {10, 10.4, true, false, true}} {
		missing, err := cutting.Balance(c.in, []cutting.Weighed{{Kg: c.out}}, c.rinsed)
		if (missing > 0) != c.missing || (err != nil) != c.wrong {
			t.Errorf("%.2f of %.2f kg: %.3f missing, %v", c.out, c.in, missing, err)
		}
	}
}

// Cards are of species that there are, cut into parts that those have, in four to eight steps.
func TestCards(t *testing.T) {
	if len(cutting.Cards()) < 12 {
		t.Errorf("%d cards", len(cutting.Cards()))
	}
	for _, c := range cutting.Cards() {
		if len(c.Steps) < 4 || len(c.Steps) > 8 || c.PinBones == "" || !(c.Minutes > 0) {
			t.Errorf("%s: %d steps", c.ID, len(c.Steps))
		}
		for _, id := range c.Species {
			sp, ok := species.Builtin().Get(id)
			form := "gutted"
			if sp.Body == species.Tail {
				form = "tail"
			}
			if !ok || !slices.ContainsFunc(cutting.PartsOf(sp, form), func(p cutting.Part) bool { return p.ID == c.Cut }) {
				t.Errorf("%s: %s, known %v, is not cut into %s", c.ID, id, ok, c.Cut)
			}
		}
		for _, s := range c.Steps {
			if _, ok := cutting.GetPart(s.At); !ok || s.Do == "" {
				t.Errorf("%s: a step at %q", c.ID, s.At)
			}
		}
	}
	if got := cutting.CardsFor("salmon"); len(got) != 2 {
		t.Errorf("%d cards for salmon", len(got))
	}
}
