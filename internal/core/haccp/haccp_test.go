package haccp

import (
	"slices"
	"strings"
	"testing"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
)

func rules(t *testing.T, id string) safety.Profile {
	p, ok := safety.GetProfile(id)
	if !ok {
		t.Fatalf("no rules %s", id)
	}
	return p
}

// The limits of the lines are those of the works: [FoodCode, 3-202.11, 3-402.11, 3-501.14 and 3-501.19], [EU853, annex III section VIII]
// and
// [FDA-hazards, chapter 7].
func TestLimitsAreThoseOfTheRules(t *testing.T) {
	for _, c := range []struct {
		rules, line string
		scale       unit.TempScale
		wants       []string
	}{
		{"model-code", Core, unit.CelsiusScale, []string{"At most 5.0 °C", "formers at most 4.4 °C"}},
		{"model-code", Core, unit.FahrenheitScale, []string{"41.0 °F", "39.9 °F"}},
		{"model-code", Parasites, unit.CelsiusScale, []string{"7 days at −20 °C", "15 h at −35 °C", "solid at −35 °C, then 24 h at −20 °C"}},
		{"model-code", Cooling, unit.CelsiusScale, []string{"21.0 °C within 2 h", "5.0 °C within 4 h more", "kept 7 days"}},
		{"model-code", Cooking, unit.CelsiusScale, []string{"63.0 °C for 15 s"}},
		{"model-code", Packs, unit.CelsiusScale, []string{"None chilled"}},
		{"eu", Parasites, unit.CelsiusScale, []string{"24 h at −20 °C", "15 h at −35 °C"}},
		{"eu", Packs, unit.CelsiusScale, []string{"3.3 °C, and 10 days"}},
		{"house-strict", Histamine, unit.CelsiusScale, []string{"6 h of death", "28.3 °C", "9 h", "12 h where it was gutted", "4.4 °C",
			"8 h in all", "4 h where any of it was above 21.1 °C"}},
	} {
		got := Line{ID: c.line}.LimitBy(rules(t, c.rules), c.scale)
		for _, want := range c.wants {
			if !strings.Contains(got, want) {
				t.Errorf("%s, %s: %q lacks %q", c.rules, c.line, got, want)
			}
		}
	}
}

// A plan that is signed has every line of the rules, critical as it is, each of its texts said.
func TestAPlanKeepsItsLines(t *testing.T) {
	plan := Usual(rules(t, "house-strict"))
	wrong := func(lines []Line) invalid.Errors {
		var bad invalid.Errors
		Check(lines, &bad)
		return bad
	}
	own := Line{ID: OwnPrefix + "1", Step: "Icing", Hazard: "Dirty ice", Limit: "Clean", Watch: "By eye", Action: "Throw it away",
		Verify: "A manager", Record: "Checks"}
	if bad := wrong(append(slices.Clone(plan), own)); len(bad) > 0 {
		t.Errorf("the usual plan with a line more: %v", bad)
	}
	for i, l := range plan {
		if bad := wrong(slices.Delete(slices.Clone(plan), i, i+1)); bad.On("lines") == "" {
			t.Errorf("a plan without %s may be signed", l.ID)
		}
		tame := slices.Clone(plan)
		if tame[i].Critical = false; l.Critical && wrong(tame).On("lines") == "" {
			t.Errorf("%s may be made less than critical", l.ID)
		}
		silent := slices.Clone(plan)
		if silent[i].Action = " "; wrong(silent).On("action-"+l.ID) == "" {
			t.Errorf("%s may say nothing of what is done", l.ID)
		}
	}
	own.Limit = strings.Repeat("x", longest+1)
	if bad := wrong(append(slices.Clone(plan), own, own)); bad.On("limit-own-1") == "" || bad.On("lines") == "" {
		t.Errorf("a text without end, and a line twice: %v", bad)
	}
	if Outdated(plan, rules(t, "house-strict")) || !Outdated(plan, rules(t, "model-code")) {
		t.Error("a plan is out of date when the limits changed, and only then")
	}
}

// Every deviation of a place points to a line of the plan.
func TestAlarmsPointToLines(t *testing.T) {
	plan := Usual(rules(t, "eu"))
	for kind, want := range map[string]string{"walk_in": Chilled, "freezer": Frozen, "ager": Ageing} {
		if got := OfAlarm(alarm.Warm, lot.Place{Kind: kind}); got != want {
			t.Errorf("a warm %s points to %s", kind, got)
		}
	}
	for _, kind := range []alarm.Kind{alarm.Warm, alarm.Freezing, alarm.Silent, alarm.Doors, alarm.Disagree} {
		for _, place := range lot.PlaceKinds {
			id := OfAlarm(kind, lot.Place{Kind: place})
			if !slices.ContainsFunc(plan, func(l Line) bool { return l.ID == id }) {
				t.Errorf("%s of a %s points to %q", kind, place, id)
			}
		}
	}
}
