package assess

import (
	"strings"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

// seafood is other seafood that came at hour 0 into the walk-in, to be used within so many hours.
func seafood(id, form string, useBy float64) lot.Received {
	core, by := 1.5, at(useBy)
	return lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(1), SpeciesID: id, Form: form, Count: 40, WeightKg: 5, CoreC: &core,
		Ice: "some_ice", SupplierID: 1, PlaceID: 20, Tag: "H-4471", UseBy: &by}
}

// looked is a quick look of its own that found nothing.
func looked(scheme string, signs ...string) lot.Inspected {
	fish := freshness.Fish{Signs: freshness.Signs{}}
	for _, s := range signs {
		fish.Signs[s] = 0
	}
	return lot.Inspected{Scheme: scheme, SchemeVersion: 1, Fish: []freshness.Fish{fish}, Decision: freshness.Accept,
		Proposed: freshness.Verdict{Decision: freshness.Accept, Rule: "by the test"}}
}

func assessed(t *testing.T, hours float64, events ...lot.Payload) Assessment {
	t.Helper()
	h := &history{ID: uuid.New()}
	for i, p := range events {
		h.Add(float64(i)*0.1, p)
	}
	return assessNow(h.Fold(t), inAir(hours, steady(1.5)))
}

// Of other seafood nothing is read nor inferred: its look and the day that a person set answer for it,
// and the clocks of every lot go on.
func TestOtherSeafood(t *testing.T) {
	shells := looked("quick-bivalve", "closed", "whole", "weight", "water", "smell")
	prawns := looked("quick-crustacean", "shell", "black", "flesh", "life", "smell")
	for _, c := range []struct {
		what      string
		hours     float64
		events    []lot.Payload
		raw, cook bool
		why       string
	}{
		{"oysters that nobody looked at", 5, []lot.Payload{seafood("pacific-oyster", "live", 60)}, false, false, "nobody looked at it yet"},
		{"oysters", 5, []lot.Payload{seafood("pacific-oyster", "live", 60), shells}, true, true, ""},
		{"oysters, the day after their use-by", 61, []lot.Payload{seafood("pacific-oyster", "live", 60), shells}, false, false, "to be used by"},
		{"prawns: only shells are exempt of parasites", 5, []lot.Payload{seafood("prawn", "whole", 60), prawns}, false, true, "no parasite freezing"},
		{"peeled prawns, cut for longer than 24 h", 30, []lot.Payload{seafood("prawn", "cleaned", 60), prawns}, false, true, "cut for 30 h"},
	} {
		a := assessed(t, c.hours, c.events...)
		raw, cook := a.use(lot.GateRaw), a.use(lot.GateCook)
		if raw.OK != c.raw || cook.OK != c.cook || c.why != "" && !strings.Contains(strings.Join(raw.Reasons, "; "), c.why) {
			t.Errorf("%s: raw %+v, cook %+v", c.what, raw, cook)
		}
		if a.Known() || a.Used.Days != 0 || a.DeclaredAge != nil {
			t.Errorf("%s: an age of %+v days is inferred", c.what, a.Used)
		}
		if a.use(lot.GateDryAge).OK || a.use(lot.GateStock).OK {
			t.Errorf("%s may be aged, or makes stock", c.what)
		}
	}
	if a := assessed(t, 5, seafood("pacific-oyster", "live", 60), shells); !a.Ends().Equal(at(60)) || a.use(lot.GateFreeze).OK {
		t.Errorf("ends at %s, frozen live: %v", a.Ends(), a.use(lot.GateFreeze))
	}
	unset := seafood("squid", "whole", 60)
	unset.UseBy = nil
	if a := assessed(t, 5, unset, looked("quick-cephalopod", "skin", "eye", "flesh", "arms", "smell")); a.use(lot.GateCook).OK {
		t.Error("squid without a use-by day may be cooked")
	}
	// A warm place counts as for any fish, from the running mean of its air.
	h := &history{ID: uuid.New()}
	h.Add(0, seafood("prawn", "whole", 60))
	h.Add(0.1, prawns)
	a := assessNow(h.Fold(t), inAir(14, during(3, 12, 1.5, 12)))
	if a.use(lot.GateCook).OK || clockOf(a, ClockOutOfCold).Share < 1 {
		t.Errorf("nine hours at 12 °C: %+v", clockOf(a, ClockOutOfCold))
	}
}

// What other seafood is taken in with, and what it does not come as.
func TestReceiptOfOtherSeafood(t *testing.T) {
	for name, c := range map[string]struct {
		field  string
		change func(*lot.Received)
	}{
		"no use-by":         {"use_by", func(r *lot.Received) { r.UseBy = nil }},
		"a use-by that was": {"use_by", func(r *lot.Received) { day := at(-3); r.UseBy = &day }},
		"no tag":            {"tag", func(r *lot.Received) { r.Tag = "" }},
		"gutted shells":     {"form", func(r *lot.Received) { r.Form = "gutted" }},
		"a live cod":        {"form", func(r *lot.Received) { r.SpeciesID = "cod" }},
		"a length":          {"length_mm", func(r *lot.Received) { mm := 1.0; r.LengthMM = &mm }},
	} {
		r := seafood("mussel", "live", 60)
		c.change(&r)
		_, err := lot.Admit(nil, lot.Facts{Now: at(0), Catalogue: species.Builtin(), Places: env(at(0), nil).Places}, lot.Event{ID: uuid.New(), HappenedAt: at(0)}, r)
		bad, ok := err.(invalid.Errors)
		if !ok || bad.On(c.field) == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
}
