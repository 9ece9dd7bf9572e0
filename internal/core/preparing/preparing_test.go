package preparing_test

import (
	"testing"

	"leancatch/internal/core/preparing"
)

// The hours and doses are those of the domain's list (common practice, no source): salted ahead one hour to two days,
// marinated half an hour to overnight, cured in acid about two hours, a cold pack two days at most.
func TestMethods(t *testing.T) {
	for id, want := range map[string]struct{ ready, keeps float64 }{"salted": {1, 48}, "marinated": {0.5, 16}, "acid_cured": {2, 4}, "wrapped": {0, 48}} {
		m, ok := preparing.Get(id)
		if !ok || m.ReadyIn != want.ready || m.Hours != want.keeps || m.ReadyIn >= m.Hours {
			t.Errorf("%s: ready in %.1f h, keeps %.0f h", id, m.ReadyIn, m.Hours)
		}
	}
	if m, _ := preparing.Get("salted"); m.Dose(2.5) != 30 || m.Unit != "g" {
		t.Errorf("2.5 kg take %.0f %s of salt", m.Dose(2.5), m.Unit)
	}
	for _, m := range preparing.Methods() {
		if (m.PerKg > 0) != (m.Unit != "") || m.Why == "" || m.Hours <= 0 {
			t.Errorf("%+v", m)
		}
	}
	if _, ok := preparing.Get("boiled"); ok {
		t.Error("a way that there is not")
	}
}
