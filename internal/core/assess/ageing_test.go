package assess

import (
	"errors"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// hungBream is a sea bream that hangs since hour 24 in a cabinet of the reference air.
func hungBream(kg float64) (*history, Env) {
	h := cod()
	e := env(at(24), map[int64]coldchain.Record{7: everywhere(1), 9: everywhere(2)})
	e.Cabinets = map[int64]Cabinet{60: {Climate: ageing.Climate{Set: ageing.Air{Celsius: 2, RH: 0.8}}, Recorded: true,
		Scale: ageing.Scale{StepKg: 0.005}}}
	e.Places[60] = lot.Place{ID: 60, Name: "Ager", Kind: "ager", SetC: 2, Air: true,
		Probes: []lot.ProbeStay{{ProbeID: 9, Span: always}}}
	h.Add(0.1, lot.Moved{PlaceID: 20})
	h.Add(24, lot.Hung{PlaceID: 60, Hook: 1, Kg: kg, Policy: ageing.LongAge, Target: 0.08, Hanging: "head_down",
		CentsPerKg: 1000})
	return h, e
}

// A fish hangs, is weighed and looked at, and comes down; its weight follows, its
// wet life stops nothing while it hangs, and what is set aside counts for nothing.
func TestAFishAges(t *testing.T) {
	h, e := hungBream(2)
	truth := ageing.StartCurve(2)
	for d := 1.0; d <= 5; d++ {
		h.Add(24+24*d, lot.Weighed{Kg: math.Round(2000*(1-truth.Loss(d))) / 1000})
		h.Add(24+24*d, lot.DailyCheck{})
	}
	h.Add(24+24*4.5, lot.Weighed{Kg: 1.2, Because: "the wrong fish", Aside: true})
	s := h.Fold(t)
	e.Now = at(24 + 24*5.2)
	a := assessNow(s, e)
	told := a.Ageing
	if told == nil || len(told.Stay.WeighIns()) != 6 || s.Place() != 60 {
		t.Fatalf("%+v, in place %d", told, s.Place())
	}
	near(t, "loss now", told.Loss.Mid, truth.Loss(5.2), 0.003)
	near(t, "the lot's weight", s.WeightKg, math.Round(2000*(1-truth.Loss(5)))/1000, 1e-9)
	if day := told.Target.Mid.Sub(at(24)).Hours() / 24; math.Abs(day-truth.Days(0.08)) > 0.6 {
		t.Errorf("the target on day %.1f, in truth %.1f", day, truth.Days(0.08))
	}
	if told.CostThen() <= told.CostNow() || told.CostNow() <= 10 {
		t.Errorf("a kilogram costs %.2f now and %.2f then", told.CostNow(), told.CostThen())
	}
	var do []string
	for _, due := range DueActions(s, a, e) {
		do = append(do, due.Do)
	}
	for _, want := range []string{"Weigh", "Look, smell, touch", "Take out"} {
		if !slices.Contains(do, want) {
			t.Errorf("%s is not due: %v", want, do)
		}
	}
	raw := Fitness(s, a)[0]
	if raw.OK || !strings.Contains(strings.Join(raw.Reasons, "; "), "long-aged: for cooking") {
		t.Errorf("raw: %+v", raw)
	}
	e.AgeingPlan = &ageing.Plan{Reference: "P", MaxDays: 10, MaxC: 2, Raw: true}
	if _, by := agedRawReasons(assessNow(s, e)); by { // it was not hung to be served raw
		t.Error("the plan stands for fish that was to be cooked")
	}
	e.AgeingPlan = nil

	e.Now = at(24 + 24*13)
	if late := assessNow(s, e); len(late.Stops) > 0 || late.Ends().IsZero() {
		t.Errorf("after thirteen days: stopped for %v, ends %v", late.Stops, late.Ends())
	}
	h.Add(24+24*6, lot.TakenDown{Kg: 1.86, CrustKg: 0.09, UsableKg: 0.95, PlaceID: 10})
	s = h.Fold(t)
	told = assessNow(s, e).Ageing
	if s.Ageing() != nil || s.Place() != 10 || s.WeightKg != 0.95 || told.Days != 6 {
		t.Errorf("taken down: in place %d with %v kg after %v days", s.Place(), s.WeightKg, told.Days)
	}
	if aged, ok := told.Result(s); !ok || math.Abs(aged.LogPace) > 0.15 || aged.UsableKg != 0.95 {
		t.Errorf("it teaches %+v, %v", aged, ok)
	}
}

// A stop sign holds the fish, whoever asks; a warm cabinet ends the ageing.
func TestStopSigns(t *testing.T) {
	h, e := hungBream(2)
	h.Add(48, lot.DailyCheck{Stops: []string{"mould"}})
	s := h.Fold(t)
	if s.Hold == "" || !strings.Contains(s.Hold, "mould") {
		t.Errorf("held for %q", s.Hold)
	}
	if err := check(s, lot.Event{ID: uuid.New(), LotID: s.ID, Kind: lot.KindFor[lot.TakenDown](), HappenedAt: at(49), PersonID: 1},
		lot.TakenDown{Kg: 1.9, PlaceID: 10}, at(50)); err != nil {
		t.Errorf("what is held may come down: %v", err)
	}
	h, e = hungBream(2)
	c := e.Cabinets[60]
	c.Excursions = []ageing.Excursion{{From: at(30), To: at(33), Worst: 6}, {From: at(2), To: at(5), Worst: 7}}
	e.Cabinets[60] = c
	e.Now = at(40)
	a := assessNow(h.Fold(t), e)
	if !a.Ageing.Ended() || len(a.Ageing.Excursions) != 1 {
		t.Errorf("three hours at 6 °C: %+v", a.Ageing.Excursions)
	}
	if due := DueActions(h.Fold(t), a, e); !slices.ContainsFunc(due, func(x Action) bool {
		return x.Do == "Take out" && x.Due.Equal(at(33))
	}) {
		t.Errorf("due: %+v", due)
	}
}

// The gate: a safety clock nobody opens, the rest a manager with a reason. An odd
// weight is asked about once.
func TestGateAndOddWeights(t *testing.T) {
	h, e := hungBream(2)
	s := h.Fold(t)
	field := func(err error) string {
		var bad invalid.Errors
		if !errors.As(err, &bad) {
			return ""
		}
		return bad[0].Field
	}
	p := lot.Hung{PlaceID: 60, Hook: 3, Kg: 2, Policy: ageing.LongAge, Target: 0.08, Hanging: "head_down"}
	fresh := cod().Fold(t)
	e.Places[60] = lot.Place{ID: 60, Name: "Ager", Kind: "ager"}
	if got := field(admit(fresh, e, 0, p)); got != "gate" {
		t.Errorf("unprepared cod: %q", got)
	}
	p.Opened = "trial"
	if got := field(admit(fresh, e, 0, p)); got != "opened" {
		t.Errorf("opened by the crew: %q", got)
	}
	p.ByManager = true
	if err := admit(fresh, e, 0, p); err != nil {
		t.Errorf("opened by a manager: %v", err)
	}
	p.PlaceID = 20
	if got := field(admit(fresh, e, 0, p)); got != "place_id" {
		t.Error("hung in a walk-in")
	}
	warm := cod()
	warm.Add(0.5, lot.Temperature{Celsius: 30})
	warm.Add(2.5, lot.Temperature{Celsius: 30})
	p.PlaceID, e.Now = 60, at(3)
	if got := field(admit(warm.Fold(t), e, 3, p)); got != "gate" {
		t.Errorf("a manager opened a safety clock: %q", got)
	}
	e.Now = at(48)
	usual := 2 * (1 - ageing.StartCurve(2).Loss(1))
	for kg, odd := range map[float64]string{usual: "", 1.2: "because", 2.1: "because"} {
		if got := field(admit(s, e, 48, lot.Weighed{Kg: kg})); got != odd {
			t.Errorf("%.2f kg: asked %q", kg, got)
		}
	}
	if err := admit(s, e, 48, lot.Weighed{Kg: 1.2, Because: "cut by mistake"}); err != nil {
		t.Errorf("it was said: %v", err)
	}
	if err := admit(s, e, 48, lot.Moved{PlaceID: 10}); err == nil {
		t.Error("it was moved off its hook")
	}
}
