package freshness

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

func find(t *testing.T, name, sp string) (Scheme, species.Species) {
	t.Helper()
	x, ok := species.Builtin().Get(sp)
	s, found := Find(name, x)
	if !ok || !found {
		t.Fatalf("no scheme %s for %s", name, sp)
	}
	return s, x
}

// The descriptors of [EU2406, annex I]: which signs
// each table has, each in four categories, Extra, A, B and Not admitted.
func TestGradeTables(t *testing.T) {
	for _, c := range []struct {
		species string
		signs   []string
	}{
		{"cod", []string{"skin", "mucus", "eye", "gills", "peritoneum", "smell", "flesh", "vessels"}},
		{"mackerel", []string{"skin", "mucus", "flesh", "cover", "eye", "gills", "smell"}},
		{"thornback-ray", []string{"eye", "appearance", "smell", "skin", "flesh", "fins", "belly"}},
	} {
		s, _ := find(t, "grade", c.species)
		var ids []string
		for _, sign := range s.Signs {
			ids = append(ids, sign.ID)
			if len(sign.Levels) != 4 {
				t.Errorf("%s, %s: %d categories", s.Name, sign.Name, len(sign.Levels))
			}
		}
		if !slices.Equal(ids, c.signs) {
			t.Errorf("%s has the signs %v, want %v", s.Name, ids, c.signs)
		}
	}
}

// The averaging rule of [EEC103-76]: descriptors score
// 3, 2, 1, 0; a mean of at least 2.7 is Extra, 2.0 A, 1.0 B, below it Not
// admitted. Ten fish with 1 to 10 of 10 signs set stand at and beside each bound.
func TestAveragingRule(t *testing.T) {
	s, _ := find(t, "grade", "cod")
	for _, c := range []struct {
		mean float64
		want string
	}{{3, "Extra"}, {2.7, "Extra"}, {2.69, "A"}, {2.0, "A"}, {1.99, "B"}, {1.0, "B"}, {0.99, "Not admitted"},
		{0, "Not admitted"}} {
		if got := s.Grade((3 - c.mean) / 3 * float64(s.Max())); got != c.want {
			t.Errorf("a mean of %.2f is %q, want %q", c.mean, got, c.want)
		}
	}
	// 2.0 by whole signs, some of them missing: 4 of 6 at A, one Extra, one B.
	fish := Fish{Signs: Signs{"skin": 1, "mucus": 1, "eye": 1, "gills": 1, "smell": 0, "flesh": 2}}
	r, err := s.Read(species.Range{Lo: 9, Hi: 15}, []Fish{fish})
	if err != nil || r.Grade != "A" {
		t.Errorf("a mean of exactly 2.0 over six signs is %q, %v", r.Grade, err)
	}
}

// judge reads the fish and proposes a verdict in the strictest profile, with a
// cold core.
func judge(t *testing.T, scheme, sp string, count int, fish ...Fish) (Reading, Verdict) {
	t.Helper()
	s, x := find(t, scheme, sp)
	profile, _ := safety.GetProfile("house-strict")
	r, err := s.Read(x.ShelfLife, fish)
	if err != nil {
		t.Fatal(err)
	}
	core := 0.5
	if s.Frozen {
		core = -22
	}
	return r, Judge(Facts{Scheme: s, Species: x, Profile: profile, Frozen: s.Frozen, CoreC: &core, Fish: fish,
		Count: count, Reading: r})
}

func TestVerdictsOfEveryScheme(t *testing.T) {
	for _, c := range []struct {
		name, scheme, species string
		fish                  Fish
		want                  Decision
		rule                  string
		grade                 string
	}{
		{"extra", "grade", "cod", Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 0, "gills": 0, "smell": 0,
			"flesh": 0}}, Accept, "no rule speaks against it", "Extra"},
		{"one Not admitted descriptor on flesh", "grade", "cod",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 0, "gills": 0, "smell": 0, "flesh": 3}}, Refuse,
			"a sign refuses", "Not admitted"},
		{"one Not admitted descriptor on smell", "grade", "mackerel",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 0, "gills": 0, "smell": 3, "flesh": 0}}, Refuse,
			"hard stop", "Not admitted"},
		{"slight ammonia", "grade", "thornback-ray", Fish{Signs: Signs{"eye": 0, "appearance": 0, "smell": 2}},
			Refuse, "hard stop", "Not admitted"},
		{"one Not admitted descriptor on the eye", "grade", "cod",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 3, "gills": 0, "smell": 0, "flesh": 0}}, AcceptCook,
			"red flags", "A"},
		{"a sunken eye and brown gills", "grade", "cod",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 3, "gills": 2, "smell": 0, "flesh": 0}}, Hold, "red flags", "A"},
		{"the dent stays, all else is fresh", "demerit20", "cod", Fish{Signs: Signs{"skin": 0, "blood_spots": 0, "stiffness": 3,
			"belly": 0, "smell": 0, "eye_clarity": 0, "eye_shape": 0, "gill_colour": 0, "gill_smell": 0}}, AcceptCook, "red flags",
			"fresh"},
		{"a dent and a sunken cloudy eye", "demerit20", "cod", Fish{Signs: Signs{"skin": 0, "blood_spots": 0, "stiffness": 3,
			"belly": 0, "smell": 0, "eye_clarity": 1, "eye_shape": 2, "gill_colour": 0, "gill_smell": 0}}, Hold, "red flags", "fair"},
		{"an eye burnt by ice", "demerit20", "cod", Fish{Signs: Signs{"skin": 0, "blood_spots": 0, "stiffness": 0, "belly": 0,
			"smell": 0, "eye_clarity": 1, "eye_shape": 2, "gill_colour": 0, "gill_smell": 0},
			Explanations: []string{"ice_burnt_eye"}}, AcceptCook, "red flags", "fresh"},
		{"brown gills, found beside a score that cannot tell them", "demerit20", "cod", Fish{Signs: Signs{"skin": 0, "blood_spots": 0, "stiffness": 0,
			"belly": 0, "smell": 0, "eye_clarity": 0, "eye_shape": 0, "gill_colour": 1, "gill_smell": 0}, Findings: []string{"gills_brown"}},
			AcceptCook, "red flags", "fresh"},
		{"brown gills, and the dent stays", "demerit20", "cod", Fish{Signs: Signs{"skin": 0, "blood_spots": 0, "stiffness": 3,
			"belly": 0, "smell": 0, "eye_clarity": 0, "eye_shape": 0, "gill_colour": 1, "gill_smell": 0}, Findings: []string{"gills_brown"}},
			Hold, "red flags", "fresh"},
		{"fins dry and brittle", "grade", "cod", Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 0, "gills": 0, "smell": 0, "flesh": 0},
			Findings: []string{"fins_dry"}}, AcceptCook, "caution", "Extra"},
		{"fins torn but supple", "grade", "cod", Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 0, "gills": 0, "smell": 0, "flesh": 0},
			Findings: []string{"fins_torn"}}, Accept, "no rule speaks against it", "Extra"},
		{"gaping along the sheets", "cutface", "salmon", Fish{Signs: Signs{"flesh_tone": 0, "bloodline": 0, "surface": 0,
			"gaping": 2, "press": 0, "liquid": 0, "smell": 0}}, AcceptCook, "red flags", "fresh"},
		{"much loose frost", "frozen", "cod", Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 2, "drip": 0, "burn": 0}}, Hold,
			"second opinion", "sound"},
		{"a thick bonded glaze", "frozen", "cod", Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 2, "drip": 0, "burn": 2},
			Explanations: []string{"glaze"}}, Accept, "no rule speaks against it", "sound"},
		{"white dry patches", "frozen", "cod", Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 0, "drip": 0, "burn": 2}},
			AcceptCook, "caution", "sound"},
		{"soft because spent", "grade", "anglerfish",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "peritoneum": 0, "smell": 0, "flesh": 3, "vessels": 0},
				Explanations: []string{"spent"}}, AcceptCook, "caution", "Extra"},
		{"soft and not explained", "grade", "anglerfish",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "peritoneum": 0, "smell": 0, "flesh": 3, "vessels": 0}}, Refuse,
			"a sign refuses", "Not admitted"},

		{"all pass", "quick", "cod", Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0, "skin": 0}},
			Accept, "no rule speaks against it", "pass"},
		{"one doubt", "quick", "cod", Fish{Signs: Signs{"eyes": 1, "gills": 0, "smell": 0, "press": 0, "skin": 0}},
			Accept, "no rule speaks against it", "pass"},
		{"two doubts call for the full scheme", "quick", "cod",
			Fish{Signs: Signs{"eyes": 1, "gills": 1, "smell": 0, "press": 0, "skin": 0}}, Hold, "two doubts", "doubt"},
		{"a fail on smell", "quick", "cod",
			Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 2, "press": 0, "skin": 0}}, Refuse, "hard stop", "doubt"},
		{"a fail on press", "quick", "cod",
			Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 2, "skin": 0}}, Refuse, "a sign refuses",
			"doubt"},
		{"a fail on press, spent", "quick", "anglerfish",
			Fish{Signs: Signs{"cut_face": 0, "cavity": 0, "smell": 0, "press": 2, "skin": 0},
				Explanations: []string{"spent"}}, AcceptCook, "caution", "pass"},
		{"two fails", "quick", "cod", Fish{Signs: Signs{"eyes": 2, "gills": 2, "smell": 0, "press": 0, "skin": 0}},
			Refuse, "two fails", "doubt"},
		{"four signs", "quick", "cod", Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0}}, AcceptCook,
			"few signs", "pass"},
		{"spent does not explain a sour smell", "quick", "anglerfish",
			Fish{Signs: Signs{"cut_face": 0, "cavity": 0, "smell": 2, "press": 2, "skin": 0},
				Explanations: []string{"spent"}}, Refuse, "hard stop", "doubt"},

		{"a clean loin", "cutface", "yellowfin-tuna",
			Fish{Signs: Signs{"flesh_tone": 0, "bloodline": 0, "surface": 0, "gaping": 0, "press": 0, "liquid": 0,
				"smell": 0}}, Accept, "no rule speaks against it", "fresh"},
		{"a brown bloodline", "cutface", "yellowfin-tuna",
			Fish{Signs: Signs{"flesh_tone": 1, "bloodline": 2, "surface": 0, "gaping": 0, "press": 0, "liquid": 0,
				"smell": 0}}, Refuse, "a sign refuses", "fresh"},
		{"cherry red all over", "cutface", "yellowfin-tuna",
			Fish{Signs: Signs{"flesh_tone": 0, "bloodline": 0, "surface": 0, "gaping": 0, "press": 0, "liquid": 0,
				"smell": 0}, Explanations: []string{"gas_treated"}}, Hold, "second opinion", "fresh"},

		{"many parasites on a perfect fish", "quick", "cod",
			Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0, "skin": 0},
				Findings: []string{"parasites_heavy"}}, Refuse, "hard stop", "pass"},
		{"a few parasites", "quick", "cod",
			Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0, "skin": 0},
				Findings: []string{"parasites_few", "hook"}}, AcceptCook, "caution", "pass"},
		{"no lot identity", "grade", "cod",
			Fish{Signs: Signs{"skin": 0, "mucus": 0, "eye": 0, "gills": 0, "smell": 0, "flesh": 0},
				Findings: []string{"no_identity"}}, Hold, "hard stop", "Extra"},

		{"a sound pack", "frozen", "salmon",
			Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 0, "drip": 0, "burn": 0}}, Accept,
			"no rule speaks against it", "sound"},
		{"glaze taken for freezer burn", "frozen", "salmon",
			Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 2, "drip": 0, "burn": 2},
				Explanations: []string{"glaze"}}, Accept, "no rule speaks against it", "sound"},
		{"the same without the glaze", "frozen", "salmon",
			Fish{Signs: Signs{"seal": 0, "solid": 1, "frost": 2, "drip": 1, "burn": 2}}, Refuse, "grade", "poor"},
		{"refrozen drip", "frozen", "salmon",
			Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 1, "drip": 2, "burn": 0}}, Hold, "hard stop", "worn"},
	} {
		t.Run(c.name, func(t *testing.T) {
			r, v := judge(t, c.scheme, c.species, 0, c.fish)
			if v.Decision != c.want || v.Rule != c.rule || r.Grade != c.grade {
				t.Errorf("%q, %s by %q: %v; want %q, %s by %q", r.Grade, v.Decision, v.Rule, v.Reasons, c.grade,
					c.want, c.rule)
			}
		})
	}
}

// Frozen fish tells no age: the clock paused while frozen.
func TestFrozenTellsNoAge(t *testing.T) {
	if r, _ := judge(t, "frozen", "salmon", 0,
		Fish{Signs: Signs{"seal": 0, "solid": 0, "frost": 0, "drip": 0}}); r.Age != nil {
		t.Errorf("a frozen pack reads %+v", r.Age)
	}
}

// A sign that is explained counts as not seen: the index is that of the others,
// and the band is as wide as without it.
func TestExplanationsChangeTheReading(t *testing.T) {
	s, sp := find(t, "demerit20", "cod")
	all := Signs{"skin": 1, "blood_spots": 1, "stiffness": 3, "belly": 0, "smell": 0, "eye_clarity": 0,
		"eye_shape": 1, "gill_colour": 0, "gill_smell": 0}
	without := Signs{}
	for id, level := range all {
		if id != "stiffness" {
			without[id] = level
		}
	}
	explained, err := s.Read(sp.ShelfLife, []Fish{{Signs: all, Explanations: []string{"spent"}}})
	if err != nil {
		t.Fatal(err)
	}
	unseen, _ := s.Read(sp.ShelfLife, []Fish{{Signs: without}})
	if explained.Index != unseen.Index || *explained.Age != *unseen.Age || explained.SignsSeen != 9 {
		t.Errorf("explained %+v, unseen %+v", explained, unseen)
	}
	near(t, "index of the other signs", explained.Index, 3*20.0/17, 1e-12)
	same, _ := s.Read(sp.ShelfLife, []Fish{{Signs: all, Explanations: []string{"glaze"}}})
	near(t, "an explanation of other signs changes nothing", same.Index, 6, 1e-12)
	if err := s.CheckFor(sp, Fish{Signs: all, Explanations: []string{"loose_scales"}}); !errors.Is(err,
		ErrExplanation) {
		t.Errorf("loose scales on cod: %v", err)
	}
}

// Every explanation names signs that some scheme has, and reads in a way that
// the reading knows; each sign that could look aged and is not, has its own.
func TestExplanationsAreWhole(t *testing.T) {
	ids := map[string]bool{}
	for _, s := range Schemes() {
		for _, sign := range s.Signs {
			ids[sign.ID] = true
		}
	}
	for _, e := range Explanations() {
		if e.Name == "" || e.Why == "" || e.Origin == "" || e.Reads != ReadsUnseen && e.Reads != ReadsFresh {
			t.Errorf("%+v lacks something", e)
		}
		for _, id := range e.SignIDs {
			if !ids[id] {
				t.Errorf("%s explains %s, which no scheme has", e.ID, id)
			}
		}
	}
	herring, _ := species.Builtin().Get("herring")
	cod, _ := species.Builtin().Get("cod")
	if len(ExplanationsFor("scales", 1, herring)) <= len(ExplanationsFor("scales", 1, cod)) ||
		len(ExplanationsFor("scales", 0, herring)) != 0 {
		t.Error("loose scales must be offered for herring, for cod not, and not for scales that hold")
	}
}

func TestSampleSize(t *testing.T) {
	// ⌈√n⌉ + 1, at least 3
	for n, want := range map[int]int{0: 0, 1: 1, 3: 3, 4: 3, 5: 4, 9: 4, 16: 5, 24: 6, 60: 9, 100: 11} {
		if got := SampleSize(n); got != want {
			t.Errorf("of %d fish %d are sampled, want %d", n, got, want)
		}
	}
}

func TestLotGrade(t *testing.T) {
	s, _ := find(t, "grade", "cod")
	for _, c := range []struct{ fish, want string }{
		{"EEEEE", "Extra"}, {"EEEEA", "A"}, {"EEEEEA", "Extra"}, {"EEEEEB", "B"}, {"EEAA", "A"}, {"EAAAAA", "A"},
		{"AAAAAAAABB", "B"}, {"AAAAAAAAAB", "A"}, {"AAAAAAAAAN", "Not admitted"}, {"", ""},
	} {
		var grades []string
		for _, g := range c.fish {
			grades = append(grades, map[rune]string{'E': "Extra", 'A': "A", 'B': "B", 'N': "Not admitted"}[g])
		}
		if got := s.LotGrade(grades); got != c.want {
			t.Errorf("%s grades %q, want %q", c.fish, got, c.want)
		}
	}
}

// Washed in citrus, a fish scores clean: its smell and slime count as unseen, and the verdict
// says so; what smells all the same still stops it.
func TestWashedInAcid(t *testing.T) {
	clean := Fish{Signs: Signs{"skin": 0, "blood_spots": 1, "stiffness": 1, "belly": 0, "smell": 0, "eye_clarity": 1,
		"eye_shape": 1, "gill_colour": 1, "gill_smell": 0}}
	before, _ := judge(t, "demerit20", "cod", 1, clean)
	after, v := judge(t, "demerit20", "cod", 1, WashedInAcid([]Fish{clean})...)
	if math.Abs(after.Index-5*20.0/(20-3-3-2)) > 1e-9 || after.Age.Days <= before.Age.Days || after.Age.SD <= before.Age.SD {
		t.Errorf("washed: %+v, before %+v", after, before)
	}
	if !slices.ContainsFunc(v.Reasons, func(r string) bool { return strings.Contains(r, "washed in citrus") }) {
		t.Errorf("it does not say so: %v", v.Reasons)
	}
	if len(clean.Explanations) != 0 {
		t.Error("the fish as it was seen is changed")
	}
	sour := Fish{Signs: maps.Clone(clean.Signs)}
	sour.Signs["smell"] = 3
	if _, v := judge(t, "demerit20", "cod", 1, WashedInAcid([]Fish{sour})...); v.Decision != Refuse || len(v.HardStops) != 1 {
		t.Errorf("a stale one: %+v", v)
	}
	if slices.ContainsFunc(ExplanationsFor("smell", 0, species.Species{}), func(e Explanation) bool { return e.ByRecord }) {
		t.Error("it is offered")
	}
}

// One hard stop in the sample of a box opens the whole box; once all are seen,
// each fish has its own verdict.
func TestOneHardStopOpensTheBox(t *testing.T) {
	good := Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0, "skin": 0}}
	sour := Fish{Signs: Signs{"eyes": 0, "gills": 0, "smell": 2, "press": 0, "skin": 0}}
	_, v := judge(t, "quick", "cod", 24, good, good, sour, good, good, good)
	if v.Decision != Hold || v.Rule != "open the whole box" || !v.OpenAll || len(v.HardStops) != 1 || !slices.Equal(v.Each,
		[]Decision{Accept, Accept, Refuse, Accept, Accept, Accept}) {
		t.Errorf("got %+v", v)
	}
	all := slices.Repeat([]Fish{good}, 23)
	if _, v = judge(t, "quick", "cod", 24, append(all, sour)...); v.OpenAll || len(v.HardStops) != 1 ||
		len(v.Each) != 24 {
		t.Errorf("all seen: %+v", v)
	}
	if len(v.Against) == 0 || slices.ContainsFunc(v.Against, func(r string) bool {
		return strings.Contains(r, "the sample")
	}) {
		t.Errorf("against it speaks %v", v.Against)
	}
	if _, v = judge(t, "quick", "cod", 24, good, good); !slices.Contains(v.Reasons,
		"2 of 24 fish inspected: the sample for 24 is 6") {
		t.Errorf("a short sample: %v", v.Reasons)
	}
}

// The fish offered first is the one that the rules name for form and body.
func TestOffered(t *testing.T) {
	for _, c := range []struct {
		species, form string
		frozen        bool
		want          string
	}{
		{"cod", "whole", false, "demerit20"}, {"plaice", "gutted", false, "demerit20"},
		{"cod", "headed_gutted", false, "grade-white"},
		{"anglerfish", "tail", false, "grade-white"}, {"yellowfin-tuna", "loin", false, "cutface"},
		{"salmon", "fillet_skin_on", true, "frozen"},
		{"sprat", "whole", true, "frozen"}, {"thornback-ray", "gutted", false, "grade-shark"},
		{"mackerel", "headed_gutted", false, "quick"}, {"prawn", "whole", false, "quick-crustacean"},
		{"mussel", "live", false, "quick-bivalve"}, {"squid", "cleaned", false, "quick-cephalopod"}, {"prawn", "cleaned", true, "frozen"},
	} {
		sp, _ := species.Builtin().Get(c.species)
		var fits []string
		for _, s := range Schemes() {
			if s.Fits(sp, c.form, c.frozen) {
				fits = append(fits, s.ID)
			}
		}
		if len(fits) == 0 || fits[0] != c.want {
			t.Errorf("%s, %s: offered %v, want %s first", c.species, c.form, fits, c.want)
		}
	}
	for _, sp := range species.Builtin().All() {
		for _, form := range []string{"whole", "gutted", "gutted_gills_out", "headed_gutted", "loin",
			"fillet_skin_on", "fillet_skinless", "live", "cleaned"} {
			if other := form == "live" || form == "cleaned"; form != "whole" && other == sp.Fish() {
				continue
			}
			for _, frozen := range []bool{false, true} {
				i := slices.IndexFunc(Schemes(), func(s Scheme) bool { return s.Fits(sp, form, frozen) })
				if form == "live" && frozen {
					continue
				}
				if i < 0 {
					t.Errorf("no scheme fits %s, %s, frozen %v", sp.Name, form, frozen)
				} else if s := Schemes()[i]; len(s.SignsOn(form)) < s.MinSigns {
					t.Errorf("%s, %s: %s has only %d signs", sp.Name, form, s.Name, len(s.SignsOn(form)))
				}
			}
		}
	}
}

// Every level but the first shows on the drawing, or changes the smell.
func TestEveryLevelShows(t *testing.T) {
	for _, s := range Schemes() {
		for _, sign := range s.Signs {
			for level := 1; level < len(sign.Levels); level++ {
				before, after := fmt.Sprint(sign.Levels[level-1].Show), fmt.Sprint(sign.Levels[level].Show)
				if before == after {
					t.Errorf("%s, %s: levels %d and %d look the same", s.Name, sign.Name, level-1, level)
				}
			}
		}
	}
}

func TestFishAsJSON(t *testing.T) {
	var f Fish
	if err := json.Unmarshal([]byte(`{"skin":1,"explanations":["spent"],"press":2,"findings":["hook"]}`),
		&f); err != nil || f.Signs["press"] != 2 || len(f.Findings) != 1 || !slices.Equal(f.Explanations,
		[]string{"spent"}) {
		t.Fatalf("read %+v, %v", f, err)
	}
	if out, err := json.Marshal(f); err != nil ||
		string(out) != `{"explanations":["spent"],"findings":["hook"],"press":2,"skin":1}` {
		t.Errorf("wrote %s, %v", out, err)
	}
	for _, bad := range []string{`[]`, `{"skin":1.5}`, `{"skin":"1"}`, `{"explanations":"spent"}`, `3`} {
		if err := json.Unmarshal([]byte(bad), &f); err == nil {
			t.Errorf("%s was read", bad)
		}
	}
}

func TestSchemeCheck(t *testing.T) {
	base, _ := find(t, "demerit20", "cod")
	for name, spoil := range map[string]func(*Scheme){
		"no name":        func(s *Scheme) { s.Name = " " },
		"no sign":        func(s *Scheme) { s.Signs = nil },
		"too many asked": func(s *Scheme) { s.MinSigns = 12 },
		"one level": func(s *Scheme) {
			s.Signs = []Sign{{ID: "a", Name: "A", Levels: []Level{{Name: "x"}}}}
			s.MinSigns = 1
		},
		"a sign twice": func(s *Scheme) { s.Signs = append(slices.Clone(s.Signs), s.Signs[0]) },
		"flat line":    func(s *Scheme) { c := *s.Calibration; c.RejectionShare = 0.1; s.Calibration = &c },
		"NaN":          func(s *Scheme) { c := *s.Calibration; c.SigmaFish = math.NaN(); s.Calibration = &c },
	} {
		s := base
		spoil(&s)
		if s.Check() == nil {
			t.Errorf("%s: passes", name)
		}
	}
}

func TestBySense(t *testing.T) {
	s, _ := find(t, "demerit20", "cod")
	for order, want := range map[string]string{"": "eye_clarity", "smell look touch": "gill_smell",
		"look smell touch": "eye_clarity"} {
		sorted := BySense(s.Signs, order)
		if len(sorted) != len(s.Signs) || sorted[0].ID != want {
			t.Errorf("%q begins with %s, want %s", order, sorted[0].ID, want)
		}
	}
	if last := BySense(s.Signs, "smell look touch")[8].Sense; last != "touch" {
		t.Errorf("smell first ends with %s", last)
	}
	for _, scheme := range Schemes() {
		for _, sign := range scheme.Signs {
			if !slices.Contains([]string{"look", "smell", "touch"}, sign.Sense) {
				t.Errorf("%s, %s: sense %q", scheme.Name, sign.Name, sign.Sense)
			}
		}
	}
}
