package ageing

import (
	"math"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// facts are those of a fish that may begin.
func facts(t *testing.T, id, school string) Facts {
	t.Helper()
	sp, ok := species.Builtin().Get(id)
	s, known := GetPolicy(school)
	if !ok || !known {
		t.Fatal(id, school)
	}
	f := Facts{Species: sp, Policy: s, Form: "gutted_gills_out", Kg: 2.4, ThicknessMM: 80,
		Inspected: true, Age: freshness.Evidence{ReadAge: &freshness.Age{Days: 1, SD: 0.5}}, Air: Air{Celsius: 1.5, RH: 0.78}, Recorded: true}
	for _, p := range Preps() {
		f.Preps = append(f.Preps, p.ID)
	}
	return f
}

// Each question, on both sides of its limit; a safety clock, histamine and raw
// service without their papers nobody opens.
func TestGate(t *testing.T) {
	plan := &Plan{Reference: "P 3", Raw: true, Formers: true}
	for _, c := range []struct {
		what   string
		id     string
		school string
		change func(*Facts)
		closed string // check that closes it; "" for open
		hard   bool
	}{
		{"a fresh sea bream", "sea-bream", LongAge, func(f *Facts) {}, "", false},
		{"at a third of its life", "sea-bream", LongAge, func(f *Facts) { f.Age.ReadAge.Days = f.Species.ShelfLife.Mid()/3 - 0.51 }, "", false},
		{"a little over it", "sea-bream", LongAge, func(f *Facts) { f.Age.ReadAge.Days = f.Species.ShelfLife.Mid()/3 - 0.49 }, "age", false},
		{"not looked at", "sea-bream", LongAge, func(f *Facts) { f.Inspected = false }, "inspection", false},
		{"of unknown age", "sea-bream", ShortDry, func(f *Facts) { f.Age = freshness.Evidence{} }, "age", false},
		{"held by a clock", "sea-bream", ShortDry, func(f *Facts) { f.Stops = []string{"histamine clock over"} },
			"safety", true},
		{"frozen", "sea-bream", ShortDry, func(f *Facts) { f.Frozen = true }, "state", true},
		{"thawed", "sea-bream", ShortDry, func(f *Facts) { f.Thawed = true }, "state", false},
		{"a skinless fillet", "sea-bream", ShortDry, func(f *Facts) { f.Form = "fillet_skinless" }, "form", false},
		{"a fillet, for long", "salmon", LongAge, func(f *Facts) { f.Form = "fillet_skin_on" }, "form", false},
		{"a fillet, short", "salmon", ShortDry, func(f *Facts) { f.Form = "fillet_skin_on" }, "", false},
		{"lean fish, for long", "cod", LongAge, func(f *Facts) {}, "species", false},
		{"lean fish, short", "cod", ShortDry, func(f *Facts) {}, "", false},
		{"too small", "sea-bream", LongAge, func(f *Facts) { f.Kg = 0.9 }, "size", false},
		{"too thin", "sea-bream", ShortDry, func(f *Facts) { f.ThicknessMM = 30 }, "size", false},
		{"mackerel, short, cold", "mackerel", ShortDry, func(f *Facts) {}, "", false},
		{"mackerel at 2.1 °C", "mackerel", ShortDry, func(f *Facts) { f.Air.Celsius = 2.1 }, "histamine", true},
		{"mackerel without a record", "mackerel", ShortDry, func(f *Facts) { f.Recorded = false }, "histamine", true},
		{"mackerel, for long", "mackerel", LongAge, func(f *Facts) {}, "histamine", true},
		{"mackerel, for long by the plan", "mackerel", LongAge, func(f *Facts) { f.Plan = plan }, "", false},
		{"raw without a route", "sea-bream", ShortDry, func(f *Facts) { f.Raw = true }, "raw", true},
		{"raw, cleared, short", "sea-bream", ShortDry, func(f *Facts) { f.Raw, f.Cleared = true, "letter" }, "", false},
		{"raw, cleared, for long", "sea-bream", LongAge, func(f *Facts) { f.Raw, f.Cleared = true, "letter" }, "raw",
			true},
		{"raw, cleared, for long by the plan", "sea-bream", LongAge, func(f *Facts) {
			f.Raw, f.Cleared, f.Plan = true, "letter", plan
		}, "", false},
		{"a wet cavity", "sea-bream", ShortDry, func(f *Facts) { f.Preps = f.Preps[:4] }, "prep-dried", false},
		{"a moist cabinet", "sea-bream", ShortDry, func(f *Facts) { f.Air.RH = 0.86 }, "air", false},
		{"a warm cabinet", "sea-bream", ShortDry, func(f *Facts) { f.Air.Celsius = 3.1 }, "air", false},
	} {
		f := facts(t, c.id, c.school)
		c.change(&f)
		soft, hard := ClosedChecks(EntryChecks(f))
		found, among := "", soft
		if c.hard {
			among = hard
		}
		for _, check := range among {
			if check.ID == c.closed {
				found = check.ID
			}
			if check.Reason == "" {
				t.Errorf("%s: %s gives no reason", c.what, check.ID)
			}
		}
		if c.closed == "" && len(soft)+len(hard) > 0 || found != c.closed {
			t.Errorf("%s: closed by %+v, and for good by %+v", c.what, soft, hard)
		}
	}
}

// With no fish the prior is the reference; with a few of other species it moves a
// little; with many of its own it is theirs, and narrower.
func TestLearn(t *testing.T) {
	if p, n := PriorFrom(3, "sea-bream", nil); n != 0 || math.Abs(p.K-StartCurve(3).K) > 1e-12 ||
		math.Abs(p.SDK-PriorWithoutHistory(3).SDK) > 1e-12 {
		t.Errorf("nothing aged: %+v, %d", p, n)
	}
	var aged []Result
	fast := math.Log(1.5)
	for range 3 {
		aged = append(aged, Result{SpeciesID: "salmon", LogPace: fast, SD: 0.05})
	}
	other, n := PriorFrom(3, "sea-bream", aged)
	if r := other.K / StartCurve(3).K; n != 0 || r < 1.2 || r > 1.5 || other.SDK >= PriorWithoutHistory(3).SDK {
		t.Errorf("three of another species: %.2f times the reference, sd %.2f", r, other.SDK)
	}
	slow := math.Log(0.9)
	for range 20 {
		aged = append(aged, Result{SpeciesID: "sea-bream", LogPace: slow, SD: 0.05, DownKg: 2, CrustKg: 0.2,
			UsableKg: 0.9})
	}
	own, n := PriorFrom(3, "sea-bream", aged)
	if r := own.K / StartCurve(3).K; n != 20 || math.Abs(r/0.9-1) > 0.03 || own.SDK > 0.14 {
		t.Errorf("twenty of its own: %.3f times the reference, sd %.3f, of %d", r, own.SDK, n)
	}
	if u := Usable(0.08, 0.5, "salmon", nil); math.Abs(u-0.5*(1-0.052)) > 1e-9 {
		t.Errorf("usable by the house rule: %.3f, the crust is 5.2 %%", u)
	}
	if u := Usable(0.08, 0.45, "sea-bream", aged); math.Abs(u-0.45) > 0.01 {
		t.Errorf("usable %.3f, twenty fish had 0.45", u)
	}
	if c := CostPerKg(10, 0.1, 0.5); math.Abs(c-10/0.45) > 1e-9 {
		t.Errorf("cost %.2f a kg", c)
	}
}

// Two hours above 4 °C, or above 90 %, are borne; more stop it. A gap in the record ends a
// stretch: what was above on both sides is not one.
func TestExcursions(t *testing.T) {
	at := func(minutes float64) time.Time { return begun.Add(time.Duration(minutes * float64(time.Minute))) }
	run := func(values ...float64) []Reading {
		var list []Reading
		for i, v := range values {
			list = append(list, Reading{at(float64(30 * i)), v})
		}
		return list
	}
	for _, c := range []struct {
		what     string
		readings []Reading
		wet      bool
		want     int
	}{
		{"none", nil, false, 0}, {"cold", run(1, 2, 4, 4, 4, 4, 4, 4), false, 0},
		{"two hours", run(1, 5, 5, 5, 5, 3), false, 0}, {"two and a half", run(1, 5, 5, 5, 5, 5, 3), false, 1},
		{"twice an hour", run(5, 5, 3, 5, 5, 3), false, 0}, {"still warm", run(1, 5, 5, 5, 5, 5, 6), false, 1},
		{"moist", run(.8, .91, .92, .95, .95, .91, .8), true, 1},
		{"a gap between", append(run(5, 5, 5), Reading{at(240), 5}, Reading{at(270), 5}), false, 0},
	} {
		got := Excursions(c.readings, c.wet)
		if len(got) != c.want {
			t.Errorf("%s: %+v", c.what, got)
		}
		for _, e := range got {
			if e.Worst == 0 || !strings.Contains(e.Text(), "h, up to") {
				t.Errorf("%s: %q", c.what, e.Text())
			}
		}
	}
}

// Every default says where it comes from.
func TestPoliciesSayWhereFrom(t *testing.T) {
	for _, s := range Policies() {
		if s.Source == "" || s.Target < s.Loss.Lo || s.Target > s.Loss.Hi || s.Purpose == "" {
			t.Errorf("%+v", s)
		}
	}
	if len(Signs()) != 5 || len(Preps()) < 5 || len(HangingStyles()) < 2 {
		t.Error("the daily check has five taps")
	}
}
