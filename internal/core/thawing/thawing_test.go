package thawing

import (
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

var tonight = time.Date(2026, 11, 24, 19, 0, 0, 0, time.UTC)

func request(profile, method string, mm, mediumC float64) Request {
	cod, _ := species.Builtin().Get("cod")
	p, _ := safety.GetProfile(profile)
	school, _ := GetPolicy(DefaultPolicy)
	return Request{Species: cod, Piece: piece.Piece{Shape: heat.Slab, ThicknessMM: mm}, StartC: -20, Method: method,
		MediumC: mediumC, ServeAt: tonight, EndUse: Cook, Policy: school, Profile: p}
}

func plan(t *testing.T, r Request) Plan {
	t.Helper()
	p, err := NewPlan(r)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// The trade's times [common practice, no source]: a fillet of 20 mm, both faces
// in a fridge of 4 °C, overnight in 10–12 h, which lies between where it can be
// worked and where no ice is left; a bag of 15–20 mm in water of 12–15 °C in
// 30–60 min, a fifth more or less.
func TestTradeTimes(t *testing.T) {
	p := plan(t, request("model-code", Fridge, 20, 4))
	if p.Workable.Hours() > 10 || p.IceFree.Hours() < 12 || p.Workable.Hours() < 8 || p.IceFree.Hours() > 15 {
		t.Errorf("20 mm in a fridge of 4 °C: workable after %v, free of ice after %v", p.Workable, p.IceFree)
	}
	for _, mm := range []float64{15, 20} {
		for _, c := range []float64{12, 15} {
			p := plan(t, request("house-strict", Water, mm, c))
			if m := p.IceFree.Minutes(); m < 30*0.8 || m > 60*1.2 {
				t.Errorf("%v mm in water of %v °C: free of ice after %.0f min", mm, c, m)
			}
		}
	}
}

// One face takes what twice the thickness takes on two.
func TestFaces(t *testing.T) {
	one := request("model-code", Fridge, 20, 4)
	one.Piece.OneFace = true
	two := request("model-code", Fridge, 40, 4)
	if a, b := plan(t, one).IceFree, plan(t, two).IceFree; a != b {
		t.Errorf("one face of 20 mm: %v, two of 40 mm: %v", a, b)
	}
}

// A thick whole fish takes days.
func TestThickFishTakesDays(t *testing.T) {
	r := request("house-strict", Fridge, 110, 2)
	r.Piece.Shape = heat.Cylinder
	p := plan(t, r)
	if p.IceFree < 48*time.Hour || p.Refused != "" || tonight.Sub(p.StartBy) < 48*time.Hour {
		t.Errorf("110 mm at 2 °C: %v, start by %v, %q", p.IceFree, p.StartBy, p.Refused)
	}
}

// What is unsafe is refused, on both sides of each limit.
func TestRefusals(t *testing.T) {
	raw := func(r Request) Request { r.EndUse = Raw; return r }
	closed := request("house-strict", Fridge, 20, 2)
	closed.VacuumPacked, closed.KeepPacked = true, true
	opened := request("house-strict", Fridge, 20, 2)
	opened.VacuumPacked = true
	mackerel := request("model-code", Fridge, 20, 4.5)
	mackerel.Species, _ = species.Builtin().Get("mackerel")
	for _, c := range []struct {
		what string
		r    Request
		why  string // "" where it may be done
	}{
		{"a sealed vacuum pack", closed, "sealed pack"}, {"an opened one", opened, ""},
		{"hot water", request("house-strict", Water, 20, 40), "hot water"},
		{"water of 15 °C", request("house-strict", Water, 20, 15), ""},
		{"of 15.1", request("house-strict", Water, 20, 15.1), "15 °C"},
		{"running water of 21 °C", request("model-code", Water, 20, 21), ""},
		{"of 22", request("model-code", Water, 20, 22), "21 °C"},
		{"a fridge of 5 °C", request("model-code", Fridge, 20, 5), ""},
		{"of 5.1", request("model-code", Fridge, 20, 5.1), "limit"},
		{"of 3, strictly", request("house-strict", Fridge, 20, 3), "limit"},
		{"a histamine former at 4.5 °C", mackerel, "4.4 °C"},
		{"to be served raw from water, strictly", raw(request("house-strict", Water, 20, 4)), "for cooking only"},
		{"raw from running water of 5 °C", raw(request("model-code", Water, 20, 5)), ""},
		{"of 10 °C", raw(request("model-code", Water, 20, 10)), "served raw"},
		{"raw from the fridge", raw(request("house-strict", Fridge, 20, 2)), ""},
		{"a thick block in water", request("house-strict", Water, 90, 15), "thaw it in the fridge"},
		{"a fridge below the freezing point", request("house-strict", Fridge, 20, -2), "does not thaw"},
		{"thin fish from frozen", request("house-strict", CookFrozen, 20, 0), ""},
		{"thick fish from frozen", request("house-strict", CookFrozen, 30, 0), "too thick"},
		{"raw from frozen", raw(request("house-strict", CookFrozen, 20, 0)), "not served raw"},
	} {
		got := plan(t, c.r).Refused
		if (got == "") != (c.why == "") || !strings.Contains(got, c.why) {
			t.Errorf("%s: refused for %q, want %q", c.what, got, c.why)
		}
	}
	if _, err := NewPlan(request("house-strict", "bench", 20, 20)); err == nil {
		t.Error("the bench was planned")
	}
}

// The steps stand in the order of time, end in one exit, and change the water
// where the profile has it still.
func TestSteps(t *testing.T) {
	ids := func(p Plan) string {
		var list []string
		for i, s := range p.Steps {
			if i > 0 && s.At.Before(p.Steps[i-1].At) {
				t.Errorf("%s stands before %s", s.ID, p.Steps[i-1].ID)
			}
			list = append(list, s.ID)
		}
		return strings.Join(list, " ")
	}
	r := request("house-strict", Water, 20, 12)
	r.VacuumPacked = true
	still := plan(t, r)
	if got := ids(still); got != "open pull change change core dry out cook exit" {
		t.Errorf("still water: %s", got)
	}
	if d := still.Steps[3].At.Sub(still.Steps[2].At); d != 30*time.Minute {
		t.Errorf("the water is changed after %v", d)
	}
	if got := ids(plan(t, request("model-code", Water, 20, 12))); got != "pull run core dry out cook exit" {
		t.Errorf("running water: %s", got)
	}
	over := plan(t, request("house-strict", Fridge, 40, 2))
	if got := ids(over); got != "pull cover drain core dry out cook exit" {
		t.Errorf("fridge: %s", got)
	}
	if ready := over.StartBy.Add(over.IceFree); tonight.Sub(ready) < 30*time.Minute ||
		tonight.Sub(ready) > 32*time.Minute {
		t.Errorf("ready at %v for %v", ready, tonight)
	}
}

// The first method of the policy that is in time; late, the next one; and what
// is late is planned from now.
func TestChoose(t *testing.T) {
	for _, c := range []struct {
		hours float64 // before service
		want  string
	}{{60, Fridge}, {6, Water}, {0.4, CookFrozen}, {0.1, ""}} {
		list, best, err := Choose(request("house-strict", "", 20, 0), tonight.Add(-hours(c.hours)))
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if best >= 0 {
			got = list[best].Method.ID
		}
		if got != c.want {
			t.Errorf("%v h before: %q, want %q", c.hours, got, c.want)
		}
		if c.hours == 6 && (!list[0].Late || list[0].Steps[0].At.Before(tonight.Add(-hours(c.hours)))) {
			t.Errorf("the fridge, 6 h before: %+v", list[0])
		}
	}
	only, _ := GetPolicy("fridge-only")
	r := request("house-strict", "", 20, 0)
	r.Policy = only
	if _, best, _ := Choose(r, tonight.Add(-6*time.Hour)); best != -1 {
		t.Error("a school of the fridge only went to the water")
	}
}

// Every default says where it comes from.
func TestSources(t *testing.T) {
	for _, m := range Methods() {
		if m.Source == "" || m.Name == "" || m.Then == "" {
			t.Errorf("%+v", m)
		}
	}
	for _, s := range Policies() {
		if s.Source == "" || len(s.Order) == 0 || s.OutMinutes > 15 {
			t.Errorf("%+v", s)
		}
	}
	if len(ForbiddenMethods()) < 3 {
		t.Error("what is never done is missing")
	}
}
