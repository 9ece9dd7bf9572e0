package species

import (
	"math"
	"strings"
	"testing"
)

func TestCatalogueIsWhole(t *testing.T) {
	if n := len(Builtin().All()); n < 40 {
		t.Errorf("%d species, want at least 40", n)
	}
	seen := map[string]bool{}
	for _, s := range Builtin().All() {
		if seen[s.ID] || s.ID != strings.ToLower(s.ID) || strings.ContainsAny(s.ID, " _") {
			t.Errorf("id %q is doubled or not lower case with hyphens", s.ID)
		}
		seen[s.ID] = true
		c := s.Composition
		if sum := c.Water + c.Protein + c.Fat + c.Ash; sum < 0.93 || sum > 1.03 {
			t.Errorf("%s: components sum to %.3f", s.ID, sum)
		}
		for what, r := range map[string]Range{"shelf life": s.ShelfLife, "skin-on yield": s.SkinOn,
			"skinless yield": s.Skinless} {
			if !(r.Lo > 0 && r.Lo <= r.Hi) {
				t.Errorf("%s: %s %v", s.ID, what, r)
			}
		}
		if s.Skinless.Hi > s.SkinOn.Hi || s.SkinOn.Hi > 1-s.GutLoss {
			t.Errorf("%s: yields contradict each other", s.ID)
		}
		oneOf(t, s.ID, string(s.Body), "round", "flat", "tail", "large_pelagic", "ray")
		oneOf(t, s.ID, s.Group, "white", "blue", "shark")
		oneOf(t, s.ID, s.Habitat, "temperate", "warm")
		oneOf(t, s.ID, s.Fat, "lean", "medium", "fatty")
		oneOf(t, s.ID, string(s.Histamine), "no", "yes", "watched")
		oneOf(t, s.ID, string(s.Parasite), "low", "high")
		oneOf(t, s.ID, string(s.Sale), "", "warn", "refuse")
		for field, origin := range s.Origin {
			if origin == "" {
				t.Errorf("%s: no origin for %s", s.ID, field)
			}
		}
		if len(s.Scientific) == 0 || strings.Count(s.Scientific, " ") != 1 {
			t.Errorf("%s: scientific name %q", s.ID, s.Scientific)
		}
	}
}

func oneOf(t *testing.T, id, got string, allowed ...string) {
	t.Helper()
	for _, a := range allowed {
		if got == a {
			return
		}
	}
	t.Errorf("%s: %q is not one of %v", id, got, allowed)
}

// Shelf lives in melting ice of [FAO348, table 5.8].
func TestShelfLivesOfFAO348(t *testing.T) {
	for id, want := range map[string]Range{
		"cod": {9, 15}, "haddock": {9, 15}, "whiting": {7, 9}, "hake": {7, 15}, "sea-bream": {10, 15},
		"snapper": {10, 28}, "grouper": {6, 28}, "plaice": {7, 21}, "sole": {7, 21}, "halibut": {21, 24},
		"mackerel": {4, 19}, "herring": {2, 6}, "herring-winter": {7, 12}, "sardine": {3, 8}, "trout": {9, 11},
		"perch": {8, 17}, "tilapia": {10, 27}, "grey-mullet": {12, 26}, "carp": {16, 21},
	} {
		if s, ok := Builtin().Get(id); !ok || s.ShelfLife != want {
			t.Errorf("%s: %v, want %v", id, s.ShelfLife, want)
		}
	}
}

// Water, protein, fat and ash of [ASHRAE-R, chapter 19, table 3].
func TestCompositionsOfASHRAE(t *testing.T) {
	for id, want := range map[string]Composition{
		"cod": {.8122, .1781, .0067, .0116}, "haddock": {.7992, .1891, .0072, .0121},
		"halibut":  {.7792, .2081, .0229, .0136},
		"mackerel": {.6355, .1860, .1389, .0135}, "perch": {.7870, .1862, .0163, .0120},
		"coalfish":    {.7818, .1944, .0098, .0141},
		"pink-salmon": {.7635, .1994, .0345, .0122}, "bluefin-tuna": {.6809, .2333, .0490, .0118},
		"whiting": {.8027, .1831, .0131, .0130},
	} {
		s, _ := Builtin().Get(id)
		if got := s.Composition; math.Abs(got.Water-want.Water)+math.Abs(got.Protein-want.Protein)+
			math.Abs(got.Fat-want.Fat)+math.Abs(got.Ash-want.Ash) > 1e-9 {
			t.Errorf("%s: %v, want %v", id, got, want)
		}
	}
}

// The families that [FDA-hazards, chapters 3 and 7] names.
func TestHistamineFormers(t *testing.T) {
	for _, id := range []string{"yellowfin-tuna", "bluefin-tuna", "skipjack", "bonito", "mackerel", "wahoo",
		"mahi-mahi", "bluefish",
		"amberjack", "trevally", "horse-mackerel", "sardine", "sprat", "herring", "anchovy", "saury", "marlin",
		"escolar", "kahawai", "swordfish"} {
		if s, ok := Builtin().Get(id); !ok || !s.HistamineRules() {
			t.Errorf("%s must be under the histamine rules", id)
		}
	}
	for _, id := range []string{"cod", "salmon", "plaice", "sea-bream"} {
		if s, _ := Builtin().Get(id); s.HistamineRules() {
			t.Errorf("%s must not be", id)
		}
	}
}

func TestSearch(t *testing.T) {
	for text, want := range map[string]string{"monk": "anglerfish", "COD": "cod", "salar": "salmon",
		"dorade": "sea-bream", "seriola q": "yellowtail", "tuna, no": ""} {
		got := ""
		if found := Builtin().Search(text, 5); len(found) > 0 {
			got = found[0].ID
		}
		if got != want {
			t.Errorf("Builtin().Search(%q) begins with %q, want %q", text, got, want)
		}
	}
	if s, ok := Builtin().Find("  Saithe "); !ok || s.ID != "coalfish" {
		t.Errorf("Builtin().Find(saithe) = %v, %v", s.ID, ok)
	}
	if _, ok := Builtin().Find("sait"); ok {
		t.Error("Find must not guess from a part of a name")
	}
	if s, ok := Builtin().Near("codd"); !ok || s.ID != "cod" {
		t.Errorf("Builtin().Near(codd) = %v, %v", s.ID, ok)
	}
	if s, ok := Builtin().Near("zz"); ok {
		t.Errorf("Builtin().Near(zz) = %v", s.ID)
	}
	if _, ok := Builtin().Find(""); ok {
		t.Error("Find of nothing must find nothing")
	}
}
