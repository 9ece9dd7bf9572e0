package assess

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/core/safety"
)

// The model code's cooling, on both sides of its limits [FoodCode,
// 3-501.14 and 3-501.17]: 57 to 21 °C in 2 h, to 5 °C in 4 h more; seven days, the
// day it is made is the first. What nobody measured in time was not cold.
func TestCookedFishCools(t *testing.T) {
	code, _ := safety.GetProfile("model-code")
	for _, c := range []struct {
		what  string
		cores map[float64]float64 // hours after cooking → °C
		after float64             // hours
		stop  string
	}{
		{"within the first two hours", nil, 1.9, ""},
		{"nobody measured", nil, 2.1, "within 2 h"},
		{"in time", map[float64]float64{2: 21, 6: 5}, 6.1, ""},
		{"a degree too warm at two hours", map[float64]float64{2: 22, 2.5: 20, 6: 5}, 6.1, "within 2 h"},
		{"late to 5 °C", map[float64]float64{2: 21, 6: 5.1, 6.2: 4}, 6.3, "within 6 h"},
		{"straight to 4 °C", map[float64]float64{1.5: 4}, 20, ""},
		{"warm again", map[float64]float64{1.5: 4, 30: 9}, 31, "then 9.0 °C"},
		{"on its last day", map[float64]float64{1.5: 4}, 143, ""},
		{"beyond its date mark", map[float64]float64{1.5: 4}, 145, "beyond its 7 days"},
	} {
		h := cod()
		h.Add(0.1, lot.Moved{PlaceID: 20})
		h.Add(30, lot.Cooked{CoreC: 66})
		for hours, celsius := range c.cores {
			h.Add(30+hours, lot.Temperature{Celsius: celsius})
		}
		e := env(at(30+c.after), map[int64]coldchain.Record{7: everywhere(1)})
		e.Profile = code
		s := h.Fold(t)
		a := assessNow(s, e)
		stops := strings.Join(a.Stops, "; ")
		if (c.stop == "") != (stops == "") || !strings.Contains(stops, c.stop) {
			t.Errorf("%s: stopped for %q, want %q", c.what, stops, c.stop)
		}
		for _, use := range Fitness(s, a) {
			if use.ID != "cook" && use.OK {
				t.Errorf("%s: fit for %s", c.what, use.ID)
			}
		}
		if a.Cooling == nil || !a.KeepTo.Equal(at(30+144)) || !a.Ends().Equal(a.KeepTo) && c.after < 144 {
			t.Errorf("%s: keeps to %v, ends %v", c.what, a.KeepTo, a.Ends())
		}
	}
}

// The clocks of the raw fish stand as they were; a part carries how it cools.
func TestCookedFishKeepsWhatItWas(t *testing.T) {
	h := cod()
	raw := assessNow(h.Fold(t), env(at(30), nil))
	h.Add(30, lot.Cooked{CoreC: 66})
	h.Add(31, lot.Temperature{Celsius: 18})
	s := h.Fold(t)
	a := assessNow(s, env(at(40), nil))
	near(t, "fresh days spent", a.Used.Days, raw.Used.Days, 1e-9)
	if len(s.CoreReadings) != len(cod().Fold(t).CoreReadings) || a.NowC != 18 {
		t.Errorf("the cooling is among the raw cores: %v; now %v °C", s.CoreReadings, a.NowC)
	}
	part := lot.SplitLot{LotID: s.ID, Code: "CATCH-9", Count: 1, WeightKg: 1}
	child := &history{ID: s.ID}
	child.Add(41, lot.Inherit(s, s.Head, part, nil))
	if c := assessNow(child.Fold(t), env(at(42), nil)).Cooling; c == nil || c.FirstAt != at(31) || !c.ThenAt.IsZero() {
		t.Errorf("the part cools %+v", c)
	}
	due := DueActions(s, a, env(at(31), nil))
	if len(due) != 2 || due[0].Do != "Cool to 5 °C" || due[0].Due != at(36) {
		t.Errorf("due: %+v", due)
	}
}

// Cooking lifts no stop, and is not done below the profile's temperature.
func TestMayCook(t *testing.T) {
	e := env(at(3), nil)
	e.Profile, _ = safety.GetProfile("eu")
	warm := cod()
	warm.Add(0.5, lot.Temperature{Celsius: 30})
	warm.Add(2.5, lot.Temperature{Celsius: 30})
	for _, c := range []struct {
		core  float64
		h     *history
		field string
	}{{60, cod(), ""}, {59.9, cod(), "core_celsius"}, {70, warm, "lot"}} {
		bad, _ := admit(c.h.Fold(t), e, 3, lot.Cooked{CoreC: c.core}).(interface{ On(string) string })
		if (bad == nil) != (c.field == "") || bad != nil && bad.On(c.field) == "" {
			t.Errorf("%v °C, %v: %v", c.core, assessNow(c.h.Fold(t), e).Stops, bad)
		}
	}
	h := cod()
	h.Add(2, lot.Cooked{CoreC: 64})
	err := check(h.Fold(t), lot.Event{ID: uuid.New(), LotID: h.ID, Kind: lot.KindFor[lot.Cooked](), HappenedAt: at(3), PersonID: 1},
		lot.Cooked{CoreC: 64}, at(3).Add(time.Minute))
	if err == nil || !strings.Contains(err.Error(), "was cooked") {
		t.Errorf("cooked twice: %v", err)
	}
}

// Par-cooked fish cools as cooked fish does, leaves to be eaten with the core to which it was cooked through alone, and
// goes nowhere else; cooking it through makes cooked fish of it, but lifts no stop [FoodCode, 3-401.14].
func TestParCookedFish(t *testing.T) {
	code, _ := safety.GetProfile("model-code")
	admit := func(h *lottest.History, hours float64, signed bool, p lot.Payload) invalid.Errors {
		t.Helper()
		s := h.Fold(t)
		e := env(at(hours), map[int64]coldchain.Record{7: everywhere(1)})
		e.Profile, e.ParCook = code, signed
		var bad invalid.Errors
		_, err := lot.Admit(s, assessNow(s, e).Facts(p), lot.Event{ID: uuid.New(), HappenedAt: at(hours)}, p)
		if err != nil && !errors.As(err, &bad) {
			t.Fatal(err)
		}
		return bad
	}
	half, hot, cool := 48.0, 66.0, 58.0
	par := lot.ParCooked{CoreC: half, Minutes: 9}
	begin := func() *lottest.History {
		h := cod()
		h.Add(0.1, lot.Moved{PlaceID: 20})
		return h
	}
	h := begin()
	if bad := admit(h, 30, false, par); bad.On("lot") == "" {
		t.Errorf("without a signed procedure: %v", bad)
	}
	if bad := admit(h, 30, true, lot.ParCooked{CoreC: half, Minutes: 61}); bad.On("minutes") == "" {
		t.Errorf("heated for 61 minutes: %v", bad)
	}
	if bad := admit(h, 30, true, par); len(bad) > 0 {
		t.Fatal(bad)
	}
	h.Add(30, par)
	h.Add(31.5, lot.Temperature{Celsius: 4})
	for what, x := range map[string]struct {
		p     lot.Payload
		field string // "" where it is taken
	}{
		"served as it is":       {lot.Taken{EndUse: lot.UsedCooked, WeightKg: 0.2}, "core_celsius"},
		"not cooked through":    {lot.Taken{EndUse: lot.UsedCooked, WeightKg: 0.2, CoreC: &cool}, "core_celsius"},
		"cooked through":        {lot.Taken{EndUse: lot.UsedCooked, WeightKg: 0.2, CoreC: &hot}, ""},
		"by the staff":          {lot.Taken{EndUse: lot.UsedStaff, WeightKg: 0.2}, "core_celsius"},
		"raw":                   {lot.Taken{EndUse: lot.UsedRaw, WeightKg: 0.2, CoreC: &hot}, "lot"},
		"a taste":               {lot.Taken{EndUse: lot.UsedTasting, WeightKg: 0.2, CoreC: &hot}, "lot"},
		"sold":                  {lot.Taken{EndUse: lot.UsedSold, WeightKg: 0.2}, "lot"},
		"to another kitchen":    {lot.Taken{EndUse: lot.UsedMoved, WeightKg: 0.2}, "lot"},
		"wasted":                {lot.Taken{EndUse: lot.UsedWaste, WeightKg: 0.2, Reason: lot.WasteLeftOver}, ""},
		"all of it is finished": {lot.Left{EndUse: lot.UsedCooked}, "core_celsius"},
		"frozen":                {lot.Froze{PlaceID: 30, Method: "fan", Wrapping: "bare", MM: 20}, "lot"},
		"par-cooked again":      {par, "lot"},
		"cooked through, all":   {lot.Cooked{CoreC: hot}, ""},
	} {
		if bad := admit(h, 40, true, x.p); x.field == "" && len(bad) > 0 || x.field != "" && bad.On(x.field) == "" {
			t.Errorf("%s: %v", what, bad)
		}
	}
	h.Add(40, lot.Cooked{CoreC: hot})
	if s := h.Fold(t); s.ParCooked != nil || !s.HeatedAt.Equal(at(30)) || len(s.Cooled) > 0 {
		t.Error("cooked through, it is par-cooked all the same")
	}
	if bad := admit(h, 41, true, lot.Taken{EndUse: lot.UsedCooked, WeightKg: 0.2}); len(bad) > 0 {
		t.Errorf("cooked through, then served: %v", bad)
	}
	late := begin()
	late.Add(30, par)
	if bad := admit(late, 33, true, lot.Cooked{CoreC: hot}); bad.On("lot") == "" {
		t.Errorf("what cooled too slowly is cooked on: %v", bad)
	}
}

// Frames become stock: a lot of its own weight that is cooked, cools and is dated, with the allergens of what went in.
func TestStock(t *testing.T) {
	h := cod()
	h.Add(0.1, lot.Moved{PlaceID: 20})
	h.Add(5, lot.Stocked{CoreC: 95, WeightKg: 6.5, Allergens: []string{"celery"}})
	h.Add(6.5, lot.Temperature{Celsius: 4})
	s := h.Fold(t)
	a := assessNow(s, env(at(20), map[int64]coldchain.Record{7: everywhere(1)}))
	if s.Form != lot.FormStock || s.Count != 1 || s.WeightKg != 6.5 || !slices.Contains(s.Allergens(), "celery") || a.Cooling == nil || len(a.Stops) > 0 {
		t.Errorf("%d × %s, %.1f kg, %v, stops %v", s.Count, s.Form, s.WeightKg, s.Allergens(), a.Stops)
	}
	if a = assessNow(s, env(at(5+24*8), map[int64]coldchain.Record{7: everywhere(1)})); len(a.Stops) == 0 {
		t.Error("stock keeps beyond its date")
	}
}
