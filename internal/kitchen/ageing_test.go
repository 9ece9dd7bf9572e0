package kitchen_test

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
)

// ageingBench is a kitchen with an ageing cabinet whose air is measured.
type ageingBench struct {
	*bench
	ager int64
}

func newAgeingBench(t *testing.T) ageingBench {
	a := ageingBench{bench: newBench(t)}
	a.must(a.AddPlace(a.manager, kitchen.NewPlace{Name: "Ager", Kind: "ager", SetC: 1.5}))
	places, err := a.Places(a.ctx)
	a.must(err)
	a.ager = places[2].ID
	for name, kind := range map[string]string{"ager-air": kitchen.Fixed, "ager-rh": kitchen.Hygrometer} {
		_, err = a.AddProbe(a.manager, kitchen.NewProbe{Name: name, Kind: kind, PlaceID: a.ager,
			Interval: 15 * time.Minute})
		a.must(err)
	}
	return a
}

// air sends what the cabinet's sensors read for some time, and lets it pass.
func (a ageingBench) air(d time.Duration, celsius, rh float64) kitchen.Intake {
	a.t.Helper()
	var list []intake.Measurement
	for at := a.now; at.Before(a.now.Add(d)); at = at.Add(15 * time.Minute) {
		list = append(list, intake.Measurement{Name: "ager-air", Unit: "Cel", At: at, Value: celsius},
			intake.Measurement{Name: "ager-rh", Unit: "%RH", At: at, Value: 100 * rh})
	}
	a.bench.now = a.now.Add(d)
	in, err := a.PutMeasurements(a.ctx, list)
	a.must(err)
	a.must(a.RefreshStale(a.ctx))
	return in
}

// bream takes fresh sea bream in, gutted and gilled, and looks at it.
func (a ageingBench) bream(count int, kg float64) kitchen.Row {
	a.t.Helper()
	line := a.line("sea-bream")
	caught := a.now.Add(-6 * time.Hour)
	line.Form, line.Count, line.WeightKg, line.LabelDate.At = "gutted_gills_out", count, kg, &caught
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Skua Day-boat", ArrivedAt: a.now, Lines: []lot.Received{line}}
	a.must(a.Receive(a.ctx, d))
	docket, err := a.DeliveryNote(a.ctx, d.ID)
	a.must(err)
	a.must(a.Inspect(a.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: docket.Rows[0].LotID, At: a.now,
		Scheme: "quick", Fish: slices.Repeat([]freshness.Fish{{Signs: freshness.Signs{"eyes": 0, "smell": 0, "press": 0,
			"skin": 0, "cavity": 0}}}, freshness.SampleSize(count))}))
	return docket.Rows[0]
}

func (a ageingBench) hung(kg float64, hook int) lot.Hung {
	h := lot.Hung{PlaceID: a.ager, Hook: hook, Kg: kg, Policy: ageing.LongAge, Target: 0.08, Hanging: "head_down"}
	for _, p := range ageing.Preps() {
		h.Preps = append(h.Preps, p.ID)
	}
	return h
}

func (a ageingBench) hang(r kitchen.Row, h lot.Hung) (uuid.UUID, error) {
	return a.StartAgeing(a.ctx, kitchen.NewHanging{EventID: kitchen.NewID(), LotID: r.LotID, At: a.now, Hung: h})
}

func (a ageingBench) aged(id uuid.UUID) kitchen.AgeingStatus {
	a.t.Helper()
	r, err := a.Row(a.ctx, id)
	a.must(err)
	if r.AgeingStatus == nil {
		a.t.Fatalf("%s never hung", r.Code)
	}
	return *r.AgeingStatus
}

func fieldOf(err error) string {
	var bad invalid.Errors
	if !errors.As(err, &bad) {
		return fmt.Sprint(err)
	}
	return bad[0].Field
}

// Humidity comes by the common intake, once; what is no humidity is refused, and
// it is no temperature of anything.
func TestHumidityByTheIntake(t *testing.T) {
	a := newAgeingBench(t)
	if in := a.air(2*time.Hour, 1.5, 0.8); in.Stored != 16 || in.Duplicate != 0 || len(in.Refused) != 0 {
		t.Errorf("stored %d, %d twice, refused %v", in.Stored, in.Duplicate, in.Refused)
	}
	at := a.now.Add(-time.Hour)
	in, err := a.PutMeasurements(a.ctx, []intake.Measurement{{Name: "ager-rh", Unit: "%RH", At: at, Value: 80},
		{Name: "ager-rh", Unit: "%RH", At: at.Add(time.Second), Value: 130},
		{Name: "ager-rh", Unit: "Cel", At: at, Value: 2}, {Name: "ager-air", Unit: "%RH", At: at, Value: 80},
		{Name: "ager-rh", Unit: "/", At: at.Add(time.Minute), Value: 0.79}})
	a.must(err)
	if in.Stored != 1 || in.Duplicate != 1 || len(in.Refused) != 3 {
		t.Errorf("stored %d, %d twice, refused %v", in.Stored, in.Duplicate, in.Refused)
	}
	// Nothing but humidity came, and whoever watches the board hears of it.
	version, err := a.Version(a.ctx)
	a.must(err)
	moist := []intake.Measurement{{Name: "ager-rh", Unit: "%RH", At: at.Add(90 * time.Second), Value: 81}}
	for range 2 { // the second time it is nothing new
		_, err = a.PutMeasurements(a.ctx, moist)
		a.must(err)
	}
	if now, err := a.Version(a.ctx); err != nil || now != version+1 {
		t.Errorf("humidity moved the board from version %d to %d: %v", version, now, err)
	}
	cabinets, err := a.AgeingCabinets(a.ctx)
	a.must(err)
	if len(cabinets) != 1 || math.Abs(cabinets[0].Now.RH-0.8) > 0.01 ||
		math.Abs(cabinets[0].Now.Celsius-1.5) > 0.01 || !cabinets[0].Hygrometer {
		t.Errorf("the cabinet: %+v", cabinets[0].Now)
	}
}

// Of a lot with several fish one is split off and hung; a hook takes one fish;
// the gate asks, at the time of the hanging and in the air of that day.
func TestHangingPartsOneOff(t *testing.T) {
	a := newAgeingBench(t)
	a.air(26*time.Hour, 1.5, 0.8)
	lots := a.bream(6, 10.2)
	id, err := a.hang(lots, a.hung(1.7, 1))
	a.must(err)
	hung, err := a.Row(a.ctx, id)
	a.must(err)
	if hung.Count != 1 || hung.WeightKg != 1.7 || hung.PlaceID != a.ager || !hung.AgeingStatus.From.Equal(a.now) {
		t.Errorf("hung: %d fish of %v kg in place %d since %v", hung.Count, hung.WeightKg, hung.PlaceID,
			hung.AgeingStatus.From)
	}
	rest, err := a.Find(a.ctx, "", true)
	a.must(err)
	var left kitchen.Row
	for _, r := range rest {
		if r.LotID != id && r.Species.ID == "sea-bream" {
			left = r
		}
	}
	if left.Count != 5 || math.Abs(left.WeightKg-8.5) > 1e-9 {
		t.Errorf("left: %d fish of %v kg", left.Count, left.WeightKg)
	}
	for what, c := range map[string]struct {
		h     lot.Hung
		field string
	}{
		"the same hook":       {a.hung(1.7, 1), "hook"},
		"more than all weigh": {a.hung(9, 2), "kg"},
		"unprepared": {lot.Hung{PlaceID: a.ager, Hook: 2, Kg: 1.7, Policy: ageing.LongAge, Target: 0.08,
			Hanging: "head_down"}, "gate"},
		"into the walk-in": {lot.Hung{PlaceID: a.walkIn, Hook: 2, Kg: 1.7, Policy: ageing.LongAge, Target: 0.08,
			Hanging: "head_down"}, "place_id"},
		"to nothing": {lot.Hung{PlaceID: a.ager, Hook: 2, Kg: 1.7, Policy: ageing.LongAge, Target: 0.9,
			Hanging: "head_down"}, "target"},
		"opened by the buyer": {func() lot.Hung {
			h := a.hung(1.7, 2)
			h.Preps, h.Opened, h.ByManager = nil, "fine", true
			return h
		}(), "opened"},
		"raw without a letter": {func() lot.Hung { h := a.hung(1.7, 2); h.Raw = true; return h }(), "gate"},
	} {
		if _, err := a.hang(left, c.h); fieldOf(err) != c.field {
			t.Errorf("%s: error on %q (%v), want %q", what, fieldOf(err), err, c.field)
		}
	}
	if n, err := a.Find(a.ctx, "", true); err != nil || len(n) != 2 {
		t.Errorf("after what was refused there are %d lots, want 2: a refusal parts nothing", len(n))
	}
	// Moved off its hook, or hung without the gate, it is not.
	if err := a.Append(a.ctx, a.write(id, lot.Moved{PlaceID: a.walkIn})); fieldOf(err) != "place_id" {
		t.Errorf("moved off its hook: %v", err)
	}
	if err := a.Append(a.ctx, a.write(left.LotID, lot.Moved{PlaceID: a.ager})); fieldOf(err) != "place_id" {
		t.Errorf("moved into the ager: %v", err)
	}
	// The same hanging sent twice is one.
	in := kitchen.NewHanging{EventID: kitchen.NewID(), LotID: left.LotID, At: a.now, Hung: a.hung(1.7, 3)}
	first, err := a.StartAgeing(a.ctx, in)
	a.must(err)
	if again, err := a.StartAgeing(a.ctx, in); err != nil || again != first {
		t.Errorf("sent twice: %v, %v", again, err)
	}
}

// Fish weighed in drier air is ahead; odd weights are asked about; what is taken
// down teaches the cabinet, and a rebuild knows it too.
func TestAgeingTeachesTheCabinet(t *testing.T) {
	a := newAgeingBench(t)
	a.air(26*time.Hour, 1.5, 0.8)
	age := func(hook int, pace, rh float64, down bool) uuid.UUID {
		t.Helper()
		id, err := a.hang(a.bream(1, 1.82), a.hung(1.8, hook))
		a.must(err)
		truth := ageing.StartCurve(1.8)
		truth.K *= pace
		air := ageing.Air{Celsius: 1.5, RH: rh}
		for day := 1; day <= 7; day++ {
			a.air(24*time.Hour, 1.5, rh)
			kg := math.Round(1800*(1-truth.Loss(float64(day)*air.Pace()))) / 1000
			a.must(a.Append(a.ctx, a.write(id, lot.Weighed{Kg: kg})))
		}
		if down {
			a.must(a.Append(a.ctx, a.write(id,
				lot.TakenDown{Kg: 1.65, CrustKg: 0.1, UsableKg: 0.8, PlaceID: a.walkIn})))
		}
		return id
	}
	first := age(1, 1.4, 0.72, true)
	told := a.aged(first)
	if told.Result == nil || math.Abs(told.Result.LogPace-math.Log(1.4)) > 0.1 || told.DownAt == nil {
		t.Fatalf("it taught %+v", told.Result)
	}
	second, err := a.hang(a.bream(1, 1.82), a.hung(1.8, 2))
	a.must(err)
	fish, err := a.AgeingFish(a.ctx, second)
	a.must(err)
	if k := fish.Ageing.Fit.K / ageing.StartCurve(1.8).K; fish.Ageing.SameSpecies != 1 || k < 1.1 || k > 1.4 {
		t.Errorf("the next bream begins at %.2f of the reference, after %d", k, fish.Ageing.SameSpecies)
	}
	a.air(24*time.Hour, 1.5, 0.8)
	if err := a.Append(a.ctx, a.write(second, lot.Weighed{Kg: 1.2})); fieldOf(err) != "because" {
		t.Errorf("another fish on the hook: %v", err)
	}
	a.must(a.Append(a.ctx, a.write(second, lot.Weighed{Kg: 1.2, Because: "hook one", Aside: true})))
	if r, _ := a.Row(a.ctx, second); r.WeightKg != 1.8 {
		t.Errorf("set aside, it weighs %v kg", r.WeightKg)
	}
	before := a.aged(second)
	a.must(a.Rebuild(a.ctx, kitchen.ActorFrom(a.ctx).Site))
	if after := a.aged(second); math.Abs(after.Loss-before.Loss) > 1e-9 || !after.TargetAt.Equal(*before.TargetAt) {
		t.Errorf("rebuilt: %v to %v, before: %v to %v", after.Loss, after.TargetAt, before.Loss, before.TargetAt)
	}
}

// A warm cabinet ends the ageing of what hangs in it, as late readings come in
// too; a stop sign holds the fish until a manager lets it go.
func TestWhatEndsAgeing(t *testing.T) {
	a := newAgeingBench(t)
	a.air(26*time.Hour, 1.5, 0.8)
	id, err := a.hang(a.bream(1, 1.82), a.hung(1.8, 1))
	a.must(err)
	a.air(6*time.Hour, 1.5, 0.8)
	if told := a.aged(id); told.Excursion != "" {
		t.Errorf("cold all along: %s", told.Excursion)
	}
	a.air(90*time.Minute, 6, 0.8)
	if told := a.aged(id); told.Excursion != "" {
		t.Errorf("after an hour and a half at 6 °C: %s", told.Excursion)
	}
	a.air(90*time.Minute, 6, 0.8)
	if told := a.aged(id); !strings.Contains(told.Excursion, "above 4 °C for") {
		t.Errorf("after three hours at 6 °C: %q", told.Excursion)
	}
	a.must(a.Append(a.ctx, a.write(id, lot.DailyCheck{Stops: []string{"smell", "skin"}})))
	r, err := a.Row(a.ctx, id)
	a.must(err)
	if !strings.Contains(r.Hold, "sour") || !strings.Contains(r.Hold, "slimy") {
		t.Errorf("held for %q", r.Hold)
	}
	if err := a.Append(a.ctx, a.write(id, lot.Released{Reason: "wiped it"})); err == nil {
		t.Error("the buyer let a stop sign go")
	}
	a.must(a.Append(a.ctx, a.write(id, lot.TakenDown{Kg: 1.7, PlaceID: a.walkIn})))
}

// A plan on file is a manager's; struck out it is gone, and so is what it allowed.
func TestAgeingPlans(t *testing.T) {
	a := newAgeingBench(t)
	plan := kitchen.NewAgeingPlan{ID: kitchen.NewID(),
		Plan: ageing.Plan{Reference: "P-3, signed", MaxDays: 9, MaxC: 2, Formers: true}}
	if err := a.AddAgeingPlan(a.ctx, plan); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("by the buyer: %v", err)
	}
	for what, change := range map[string]func(*kitchen.NewAgeingPlan){
		"reference": func(p *kitchen.NewAgeingPlan) { p.Reference = " " }, "days": func(p *kitchen.NewAgeingPlan) {
			p.MaxDays = 90
		}, "celsius": func(p *kitchen.NewAgeingPlan) { p.MaxC = 6 },
	} {
		bad := plan
		change(&bad)
		if err := a.AddAgeingPlan(a.manager, bad); fieldOf(err) != what {
			t.Errorf("%s: %v", what, err)
		}
	}
	a.air(26*time.Hour, 1.5, 0.8)
	r := a.bream(1, 1.82)
	h := a.hung(1.8, 1)
	former := func() bool {
		t.Helper()
		line := a.line("mackerel")
		line.Form, line.Count, line.WeightKg = "gutted_gills_out", 1, 1.2
		d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Skua Day-boat", ArrivedAt: a.now,
			Lines: []lot.Received{line}}
		a.must(a.Receive(a.ctx, d))
		docket, err := a.DeliveryNote(a.ctx, d.ID)
		a.must(err)
		_, checks, err := a.EntryChecks(a.ctx, docket.Rows[0].LotID, h, a.now)
		a.must(err)
		for _, c := range checks {
			if c.ID == "histamine" {
				return c.OK
			}
		}
		t.Fatal("no such check")
		return false
	}
	if former() {
		t.Error("a former is long-aged without a plan")
	}
	a.must(a.AddAgeingPlan(a.manager, plan))
	a.must(a.AddAgeingPlan(a.manager, plan))
	if plans, err := a.AgeingPlans(a.ctx); err != nil || len(plans) != 1 || !former() {
		t.Errorf("%d plans, %v; the plan stands for a former: %v", len(plans), err, former())
	}
	id, err := a.hang(r, h)
	a.must(err)
	if by := a.aged(id).ServeBy; !by.Equal(a.now.Add(9 * 24 * time.Hour)) {
		t.Errorf("serve by %v", by)
	}
	a.must(a.CancelAgeingPlan(a.manager, plan.ID))
	if by := a.aged(id).ServeBy; !by.Equal(a.now.Add(14*24*time.Hour)) || former() {
		t.Errorf("struck out: serve by %v, former %v", by, former())
	}
}
