package safety

import (
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/species"
)

// cores makes temperatures of a core, from pairs of hours and °C.
func cores(pairs ...float64) []coldchain.Reading {
	var list []coldchain.Reading
	for i := 0; i < len(pairs); i += 2 {
		list = append(list, coldchain.Reading{At: noon.Add(inHours(pairs[i])), Celsius: pairs[i+1]})
	}
	return list
}

var noon = time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)

// Each route on both sides of each of its limits [FoodCode, 3-402.11]
// [EU853, annex III section VIII].
func TestParasiteRoutes(t *testing.T) {
	for _, c := range []struct {
		profile, what string
		core          []coldchain.Reading
		route         string // "" where none is met
		metHours      float64
	}{
		{"model-code", "7 days at −20", cores(0, -20, 168, -20), "minus20-7d", 168},
		{"model-code", "a minute short of 7 days", cores(0, -20, 168-1.0/60, -20), "", 0},
		{"model-code", "7 days a tenth too warm", cores(0, -19.9, 200, -19.9), "", 0},
		{"model-code", "15 h at −35", cores(0, -35, 15, -35), "minus35-15h", 15},
		{"model-code", "14.9 h at −35, then thawed", cores(0, -35, 14.9, -35, 15, -10), "", 0},
		{"model-code", "solid at −35, then 24 h at −20", cores(0, -35, 0.5, -34, 23, -20, 24, -20),
			"minus35-then-minus20", 24},
		{"model-code", "only −34.9, then 24 h at −20", cores(0, -34.9, 24, -20), "", 0},
		{"eu", "24 h at −20", cores(0, -20, 24, -20), "minus20-24h", 24},
		{"eu", "23.9 h at −20", cores(0, -20, 23.9, -20), "", 0},
		{"eu", "24 h at −19.9", cores(0, -19.9, 30, -19.9), "", 0},
		{"eu", "15 h at −35", cores(0, -35, 15, -35), "minus35-15h", 15},
		{"house-strict", "24 h at −20 is not enough", cores(0, -21, 24, -21, 30, -21), "", 0},
		{"house-strict", "7 days at −20", cores(0, -20, 168, -20), "minus20-7d", 168},
		{"house-strict", "solid at −35, then 24 h at −20 is not enough", cores(0, -35, 24, -20), "", 0},
		{"model-code", "the clock starts where the core is there", cores(0, 5, 5, -20, 172, -22, 172.9, -22), "", 0},
		{"model-code", "and ends 7 days later", cores(0, 5, 5, -20, 172, -22, 174, -22), "minus20-7d", 173},
		{"eu", "what was met stays met", cores(0, -20, 24, -20, 25, 0, 26, 4), "minus20-24h", 24},
	} {
		p, _ := GetProfile(c.profile)
		cod, _ := species.Builtin().Get("cod")
		got := p.Parasites(ParasiteFacts{Species: cod, Core: Linked(c.core, 200*time.Hour)})
		if got.Met != (c.route != "") || got.Met &&
			(got.Route.ID != c.route || got.MetAt.Sub(noon).Hours() != c.metHours) {
			t.Errorf("%s, %s: %+v", c.profile, c.what, got)
		}
		if (got.Remaining == 0) != got.Met {
			t.Errorf("%s, %s: %v remains", c.profile, c.what, got.Remaining)
		}
	}
}

// A warm excursion starts the clock again, as does a time without a record; the
// place of the break is where the line crosses the limit.
func TestParasiteClockStartsAgain(t *testing.T) {
	p, _ := GetProfile("house-strict")
	cod, _ := species.Builtin().Get("cod")
	core := cores(0, -22, 100, -22, 101, -18, 102, -22, 150, -22)
	got := p.Parasites(ParasiteFacts{Species: cod, Core: Linked(core, 101*time.Hour)})
	if len(got.Broken) != 1 || got.Broken[0].At.Sub(noon) != inHours(100.5) || got.Broken[0].Celsius != -18 ||
		got.Broken[0].Gap {
		t.Errorf("broken: %+v", got.Broken)
	}
	if got.Met || got.Since.Sub(noon) != inHours(101.5) || got.Remaining != inHours(168-48.5) {
		t.Errorf("%+v", got)
	}
	gap := p.Parasites(ParasiteFacts{Species: cod,
		Core: Linked(cores(0, -22, 1, -22, 100, -22, 101, -22), 2*time.Hour)})
	if len(gap.Broken) != 1 || !gap.Broken[0].Gap || gap.Remaining != 167*time.Hour {
		t.Errorf("after a gap: %+v", gap)
	}
	none := p.Parasites(ParasiteFacts{Species: cod})
	if none.Met || !none.Since.IsZero() || none.Remaining != 168*time.Hour {
		t.Errorf("without a reading: %+v", none)
	}
}

// Exemptions belong to the profile: tuna by name in the model code only, and
// not its relatives; letters where the profile takes one.
func TestParasiteExemptions(t *testing.T) {
	for _, c := range []struct {
		profile, species string
		letter, met      bool
	}{
		{"model-code", "albacore", false, true}, {"model-code", "yellowfin-tuna", false, true},
		{"model-code", "bigeye-tuna", false, true}, {"model-code", "bluefin-tuna", false, true},
		{"model-code", "skipjack", false, false}, {"eu", "bluefin-tuna", false, false},
		{"house-strict", "bluefin-tuna", false, false},
		{"model-code", "salmon", false, false}, {"model-code", "salmon", true, true}, {"eu", "salmon", true, true},
		{"house-strict", "salmon", true, true},
	} {
		p, _ := GetProfile(c.profile)
		s, ok := species.Builtin().Get(c.species)
		got := p.Parasites(ParasiteFacts{Species: s, Letter: c.letter})
		if !ok || got.Met != c.met || (got.Exempt != "") != c.met {
			t.Errorf("%s, %s, letter %v: %+v", c.profile, c.species, c.letter, got)
		}
	}
	p, _ := GetProfile("eu")
	cod, _ := species.Builtin().Get("cod")
	for mm, warned := range map[float64]bool{150: false, 151: true} {
		got := p.Parasites(ParasiteFacts{Species: cod, ThicknessMM: mm})
		if (len(got.Cautions) > 0 && strings.Contains(got.Cautions[0], "150 mm")) != warned {
			t.Errorf("%v mm: %v", mm, got.Cautions)
		}
	}
}
