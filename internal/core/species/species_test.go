package species

import (
	"math"
	"slices"
	"strings"
	"testing"

	"leancatch/internal/core/coldchain"
)

func TestCatalogueIsWhole(t *testing.T) {
	fish := 0
	seen := map[string]bool{}
	for _, s := range Builtin().All() {
		if seen[s.ID] || s.ID != strings.ToLower(s.ID) || strings.ContainsAny(s.ID, " _") {
			t.Errorf("id %q is doubled or not lower case with hyphens", s.ID)
		}
		seen[s.ID] = true
		if s.Fish() {
			fish++
		}
		checkFigures(t, s)
		oneOf(t, s.ID, string(s.Body), "round", "flat", "tail", "large_pelagic", "ray", "cephalopod", "crustacean", "bivalve")
		oneOf(t, s.ID, s.Group, "white", "blue", "shark", "other")
		oneOf(t, s.ID, s.Habitat, "temperate", "warm", "mixed")
		oneOf(t, s.ID, s.Fat, "lean", "medium", "fatty")
		oneOf(t, s.ID, string(s.Histamine), "no", "yes", "watched")
		oneOf(t, s.ID, string(s.Parasite), "low", "high")
		oneOf(t, s.ID, string(s.Sale), "", "warn", "refuse")
		oneOf(t, s.ID, string(s.YieldOf), "whole", "gutted", "headed_gutted", "tail")
		if s.Farmed != nil {
			checkFigures(t, s.AsFarmed())
			oneOf(t, s.ID+" farmed", string(s.Farmed.Parasite), "low", "high")
		}
		for field, origin := range s.Origin {
			if origin == "" {
				t.Errorf("%s: no origin for %s", s.ID, field)
			}
		}
		if len(s.Scientific) == 0 || strings.Count(s.Scientific, " ") != 1 {
			t.Errorf("%s: scientific name %q", s.ID, s.Scientific)
		}
		if len(s.Marks) != 3 || slices.Contains(s.Marks, "") {
			t.Errorf("%s is known by %v", s.ID, s.Marks)
		}
		for _, other := range s.TakenFor {
			if other.ID == s.ID || other.Has == "" {
				t.Errorf("%s is taken for %+v", s.ID, other)
			}
		}
		for _, at := range s.Spawns {
			if at.Area == "" || at.From < 1 || at.From > 12 || at.To < 1 || at.To > 12 {
				t.Errorf("%s spawns %+v", s.ID, at)
			}
		}
	}
	if fish < 130 {
		t.Errorf("%d species, want at least 130", fish)
	}
}

func checkFigures(t *testing.T, s Species) {
	t.Helper()
	c := s.Composition
	if sum := c.Water + c.Protein + c.Fat + c.Ash; sum < 0.93 || sum > 1.03 || c.Water < 0.55 || c.Water > 0.86 || c.Protein > 0.26 {
		t.Errorf("%s: components %v sum to %.3f", s.ID, c, sum)
	}
	if lean := c.Fat <= 0.03; s.Fat == "lean" != lean && s.Fat == "lean" || s.Fat == "fatty" && c.Fat < 0.04 {
		t.Errorf("%s: %s with %.1f %% fat", s.ID, s.Fat, 100*c.Fat)
	}
	for what, r := range map[string]Range{"shelf life": s.ShelfLife, "skin-on yield": s.SkinOn,
		"skinless yield": s.Skinless} {
		if what == "shelf life" && !s.Fish() { // a person says by when
			continue
		}
		if !(r.Lo > 0 && r.Lo <= r.Hi) {
			t.Errorf("%s: %s %v", s.ID, what, r)
		}
	}
	if s.ShelfLife.Hi > 28 {
		t.Errorf("%s keeps %v days", s.ID, s.ShelfLife)
	}
	if s.Skinless.Hi > s.SkinOn.Hi || s.GutLoss+s.HeadLoss > 0.75 || s.Fillets(Whole, false).Hi > 1-s.GutLoss-0.5*s.HeadLoss {
		t.Errorf("%s: yields contradict each other", s.ID)
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

// A name means one species in each region, and a market name one everywhere; a name that several
// share is said to be so.
func TestNamesAreUnique(t *testing.T) {
	owner := map[string]string{}
	for _, s := range Builtin().All() {
		owner[fold(s.Name)] = s.ID
	}
	called := map[Name]string{}
	for _, s := range Builtin().All() {
		if owner[fold(s.Name)] != s.ID {
			t.Errorf("%s and %s are both called %s", s.ID, owner[fold(s.Name)], s.Name)
		}
		for _, n := range s.Names {
			if by, ok := owner[fold(n.Text)]; ok && by != s.ID && n.Region == "" {
				t.Errorf("%q of %s is the market name of %s: say where", n.Text, s.ID, by)
			}
			key := Name{fold(n.Text), n.Region}
			if by, ok := called[key]; ok {
				t.Errorf("%q in %q is %s and %s", n.Text, n.Region, by, s.ID)
			}
			called[key] = s.ID
		}
		for _, shared := range s.Also {
			if by, ok := owner[fold(shared)]; ok && by != s.ID {
				t.Errorf("%q of %s is the market name of %s", shared, s.ID, by)
			}
		}
	}
}

// The families that [FDA-hazards, chapters 3, 6 and 7] names, and those that may not be sold: each
// hazard goes by family.
func TestHazardsByFamily(t *testing.T) {
	formers := map[string]bool{"Scombridae": true, "Clupeidae": true, "Engraulidae": true, "Carangidae": true, "Pomatomidae": true,
		"Coryphaenidae": true, "Scomberesocidae": true, "Istiophoridae": true, "Xiphiidae": true, "Gempylidae": true, "Arripidae": true}
	reef := map[string]bool{"Lutjanidae": true, "Epinephelidae": true}
	banned := map[string]bool{"Tetraodontidae": true, "Diodontidae": true, "Molidae": true}
	for _, s := range Builtin().All() {
		watched := s.ID == "milkfish" || s.ID == "garfish"
		if s.HistamineRules() != (formers[s.Family] || watched) {
			t.Errorf("%s, %s: histamine %s", s.ID, s.Family, s.Histamine)
		}
		if reef[s.Family] && !s.Ciguatera {
			t.Errorf("%s, %s: no ciguatera", s.ID, s.Family)
		}
		if (s.Sale == SaleRefuse) != banned[s.Family] {
			t.Errorf("%s, %s: sale %q", s.ID, s.Family, s.Sale)
		}
	}
	for _, id := range []string{"barracuda", "amberjack", "hogfish", "moray", "crevalle-jack", "king-mackerel", "spanish-mackerel"} {
		if s, ok := Builtin().Get(id); !ok || !s.Ciguatera {
			t.Errorf("%s must be asked for its waters", id)
		}
	}
	for _, id := range []string{"skipjack", "bonito", "swordfish", "escolar", "sea-bass", "turbot", "lemon-sole", "grouper", "yellowtail"} {
		if s, _ := Builtin().Get(id); s.Parasite != High {
			t.Errorf("wild %s: parasites %s", id, s.Parasite)
		}
	}
	for _, id := range []string{"grey-mullet", "swordfish", "bigeye-tuna", "grouper", "amberjack"} {
		if s, _ := Builtin().Get(id); s.Model() != coldchain.Mixed {
			t.Errorf("%s: %s", id, s.Model())
		}
	}
	for _, id := range []string{"swordfish", "marlin", "mako", "bigeye-tuna", "king-mackerel"} {
		if s, _ := Builtin().Get(id); !s.Mercury {
			t.Errorf("%s: no advice on mercury", id)
		}
	}
}

// The house ranges of the trade, in both bases: a yield and the weight it multiplies have the same one.
func TestYieldsInBothBases(t *testing.T) {
	for _, c := range []struct {
		id       string
		of       Basis
		lo, hi   float64
		skinless bool
	}{
		{"cod", Gutted, 0.42, 0.50, false}, {"cod", Whole, 0.36, 0.43, false}, {"redfish", Whole, 0.30, 0.36, false},
		{"gurnard", Whole, 0.30, 0.36, false}, {"john-dory", Whole, 0.30, 0.36, false}, {"turbot", Whole, 0.30, 0.36, false},
		{"plaice", Gutted, 0.40, 0.50, false}, {"salmon", Gutted, 0.60, 0.65, false}, {"sea-bass", Whole, 0.42, 0.48, false},
		{"sea-bream", Whole, 0.42, 0.48, false}, {"bluefin-tuna", Whole, 0.45, 0.52, false},
		{"swordfish", HeadedGutted, 0.60, 0.70, false}, {"anglerfish", TailOnly, 0.65, 0.75, true},
		{"anglerfish", Whole, 0.195, 0.225, true},
	} {
		s, _ := Builtin().Get(c.id)
		if got := s.Fillets(c.of, c.skinless); math.Abs(got.Lo-c.lo) > 0.01 || math.Abs(got.Hi-c.hi) > 0.01 {
			t.Errorf("%s of %s fish: %v, want %v to %v", c.id, c.of, got, c.lo, c.hi)
		}
	}
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

// A farmed fish has its own figures, and those of wild fish where none are known.
func TestAsFarmed(t *testing.T) {
	salmon, _ := Builtin().Get("salmon")
	farmed := salmon.AsFarmed()
	if salmon.Parasite != High || farmed.Parasite != Low || !(farmed.Composition.Fat > salmon.Composition.Fat) ||
		farmed.ShelfLife != salmon.ShelfLife {
		t.Errorf("wild %v, farmed %v", salmon.Composition, farmed.Composition)
	}
	cod, _ := Builtin().Get("cod")
	if cod.AsFarmed().Parasite != High {
		t.Error("cod is not farmed")
	}
}

func names(list []Species) string {
	var all []string
	for _, s := range list {
		all = append(all, s.ID)
	}
	return strings.Join(all, " ")
}

func TestNamed(t *testing.T) {
	for text, want := range map[string]string{
		"  Saithe ": "coalfish", "gadus morhua": "cod", "dorade royale": "sea-bream", "Loup de Mer": "sea-bass", "egli": "perch",
		"Spanish mackerel": "spanish-mackerel", "torsk": "cod", "Clupea harengus": "herring-winter herring", "sait": "", "": "",
		"Black cod": "sablefish", "HUSS": "spurdog dogfish",
	} {
		got := strings.Fields(names(Builtin().Named(text)))
		for _, id := range strings.Fields(want) {
			if !slices.Contains(got, id) {
				t.Errorf("%q names %v, want %s", text, got, want)
			}
		}
		if len(got) != len(strings.Fields(want)) {
			t.Errorf("%q names %v, want %s", text, got, want)
		}
	}
	for _, ask := range []string{"snapper", "kingfish", "bass", "sole", "cod", "mullet", "catfish", "pollock", "halibut", "bream", "Whiting"} {
		if got := Builtin().Named(ask); len(got) < 2 {
			t.Errorf("%q is %s: it must be asked which one", ask, names(got))
		}
		if _, ok := Builtin().Find(ask); ok {
			t.Errorf("Find(%q) does not ask", ask)
		}
	}
}

func TestSearch(t *testing.T) {
	for text, want := range map[string]string{"monk": "anglerfish", "Atlantic c": "cod", "salar": "salmon", "dorade r": "sea-bream",
		"seriola q": "yellowtail", "tuna, no": "", "steinb": "turbot", "eglefin": "haddock", "rodabalo": "turbot"} {
		got := ""
		if found := Builtin().Search(text, 5); len(found) > 0 {
			got = found[0].ID
		}
		if got != want && !strings.Contains(names(Builtin().Search(text, 3)), want) {
			t.Errorf("Search(%q) begins with %q, want %q", text, got, want)
		}
	}
}

// A suggestion is near, and never the milder of what may have been meant.
func TestSuggest(t *testing.T) {
	for text, want := range map[string]string{"haddok": "haddock", "mackarel": "mackerel", "halbut": "halibut", "tubrot": "turbot",
		"yelowfin tuna": "yellowfin-tuna", "zz": "", "lobstre thermidor": "", "xyzzy": "", "qwertyfish": ""} {
		if got := names(Builtin().Suggest(text)); want == "" && got != "" || !strings.Contains(got, want) {
			t.Errorf("Suggest(%q) = %s, want %s", text, got, want)
		}
	}
	for _, s := range Builtin().Suggest("frigate mackerel") { // some mackerel: all of them form histamine
		if !s.HistamineRules() || !s.Ciguatera {
			t.Errorf("a mackerel that nobody knows may be %s", s.ID)
		}
	}
	// whatever one letter too few or two swapped ones do to a hazardous name, what is suggested has all of its hazards
	for _, s := range Builtin().All() {
		if s.Hazards() == (Hazards{}) {
			continue
		}
		letters := []rune(fold(s.Name))
		for i := 1; i+1 < len(letters); i++ {
			wrong := string(letters[:i]) + string(letters[i+1:])
			swapped := string(letters[:i]) + string(letters[i+1]) + string(letters[i]) + string(letters[i+2:])
			for _, text := range []string{wrong, swapped} {
				if len(Builtin().Named(text)) > 0 {
					continue
				}
				for _, g := range Builtin().Suggest(text) {
					if h := g.Hazards(); h.and(s.Hazards()) != h {
						t.Errorf("%q may be %s, and %s is suggested", text, s.Name, g.Name)
					}
				}
			}
		}
	}
}

func TestTypos(t *testing.T) {
	for pair, want := range map[[2]string]int{{"salmon", "salmon"}: 0, {"salmn", "salmon"}: 1, {"samlon", "salmon"}: 1,
		{"trout", "tront"}: 1, {"haddock", "hadock"}: 1, {"mackerel", "makarel"}: 2, {"cod", "salmon"}: 4} {
		if got := typos(pair[0], pair[1], 3); got != want {
			t.Errorf("%v: %d, want %d", pair, got, want)
		}
	}
}
