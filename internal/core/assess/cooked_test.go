package assess

import (
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
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
	if len(due) != 2 || due[0].Do != "Core to 5 °C" || due[0].Due != at(36) {
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
