package safety

import (
	"testing"
	"time"

	"leancatch/internal/core/species"
)

// Limits at receipt, by [FoodCode] and [EU853, annex III section VIII].
func TestReceiveLimit(t *testing.T) {
	for _, c := range []struct {
		profile, species string
		want             float64
	}{
		{"model-code", "cod", 5}, {"model-code", "mackerel", 4.4}, {"model-code", "swordfish", 4.4},
		{"eu", "cod", 2}, {"eu", "mackerel", 2}, {"house-strict", "salmon", 2},
	} {
		p, ok := GetProfile(c.profile)
		s, _ := species.Builtin().Get(c.species)
		if got := p.ReceiveLimit(s); !ok || got != c.want {
			t.Errorf("%s, %s: %v °C, want %v", c.profile, c.species, got, c.want)
		}
	}
	for profile, want := range map[string]struct {
		again  float64
		within time.Duration
	}{"model-code": {5, 0}, "eu": {4, 2 * time.Hour}, "house-strict": {3, 2 * time.Hour}} {
		p, _ := GetProfile(profile)
		s, _ := species.Builtin().Get("cod")
		if again, within := p.AgainLimit(s); again != want.again || within != want.within {
			t.Errorf("%s: again up to %v °C within %v, want %+v", profile, again, within, want)
		}
	}
	for _, p := range Profiles() {
		if p.Source == "" || p.ThawWater == "" || p.ThawFridgeC > p.ChilledMaxC || p.HistamineMaxC > 4.4 {
			t.Errorf("%s is not whole, or keeps histamine formers too warm: %+v", p.ID, p)
		}
	}
	if _, ok := GetProfile(DefaultProfile); !ok {
		t.Error("the default profile is missing")
	}
}
