package assess

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// box is a box of eight cod with a logger, a spot reading, a stay and an
// inspection of which two fish of eight failed.
func box() *history {
	core, caught := 0.6, at(-40)
	h := &history{ID: uuid.New()}
	h.Add(0, lot.Received{DeliveryID: uuid.New(), Line: 1, Code: lot.Code(3), SpeciesID: "cod", Form: "whole", Count: 8,
		WeightKg: 24, CoreC: &core,
		Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1, PlaceID: 10})
	h.Add(0.2, lot.Logger{ProbeID: 9, From: at(-30), To: at(-2)})
	i := inspected(2, 1.2, freshness.Hold)
	i.Fish = nil
	for n := range 8 {
		i.Fish = append(i.Fish, freshness.Fish{Signs: freshness.Signs{"skin": n % 3, "smell": 0}})
		d := freshness.Accept
		if n == 2 || n == 5 {
			d = freshness.Refuse
		}
		i.Proposed.Each = append(i.Proposed.Each, d)
	}
	i.Proposed.Reasons, i.Proposed.HardStops = []string{"sour smell (2 of 8 fish)"},
		[]string{"sour smell (2 of 8 fish)"}
	h.Add(0.5, i)
	h.Add(1, lot.Moved{PlaceID: 20})
	h.Add(2, lot.Temperature{Celsius: 1.4})
	return h
}

// A split lot has the very assessment of the lot that it was split off, now and
// later: the same ages, the same hours, the same stops.
func TestAPartCarriesItsParentsClocks(t *testing.T) {
	h := box()
	parent := h.Fold(t)
	probes := map[int64]coldchain.Record{
		7: coldchain.Series{Readings: []coldchain.Reading{{At: at(0.5), Celsius: 2}, {At: at(30), Celsius: 5}},
			MaxGap: math.MaxInt64},
		9: coldchain.Series{Readings: []coldchain.Reading{{At: at(-31), Celsius: 3}, {At: at(0), Celsius: 0}},
			MaxGap: math.MaxInt64}}
	part := lot.SplitLot{LotID: uuid.New(), Code: lot.Code(4), Count: 6, WeightKg: 18}
	child := &history{ID: part.LotID}
	child.Add(3, lot.Inherit(parent, parent.Head, part, nil))
	s := child.Fold(t)
	for _, hours := range []float64{3, 20, 50} {
		e := env(at(hours), probes)
		want, got := assessNow(parent, e), assessNow(s, e)
		near(t, "used", got.Used.Days, want.Used.Days, 1e-12)
		near(t, "sd", got.Used.SD, want.Used.SD, 1e-12)
		near(t, "claimed", got.DeclaredAge.Days, want.DeclaredAge.Days, 1e-12)
		near(t, "logged hours", got.Hours[coldchain.Logged], want.Hours[coldchain.Logged], 1e-12)
	}
	if s.Received.Count != 6 || s.WeightKg != 18 || s.Received.Code != part.Code ||
		s.ParentCode != parent.Received.Code || s.Hold != parent.Hold {
		t.Errorf("the part is %+v", s)
	}
	child.Add(4, lot.Moved{PlaceID: 10})
	if s = child.Fold(t); s.Place() != 10 || len(s.Stays) != 3 {
		t.Errorf("it does not move on: %+v", s.Stays)
	}
	// An event before the split belongs to the parent.
	e := lot.Event{ID: uuid.New(), HappenedAt: at(2.5)}
	var fields invalid.Errors
	if err := check(s, e, lot.Temperature{Celsius: 1}, at(9)); !errors.As(err, &fields) || fields.On("happened_at") == "" {
		t.Errorf("an event before the parting: %v", err)
	}
	h.Add(3, lot.Split{Parts: []lot.SplitLot{part, {LotID: uuid.New(), Code: lot.Code(5), Count: 2, WeightKg: 6, Refused: "sour"}}})
	if parent = h.Fold(t); parent.Status != lot.WasSplit || len(parent.SplitInto) != 2 {
		t.Errorf("the parent is %s with %d parts", parent.Status, len(parent.SplitInto))
	}
	for _, id := range []uuid.UUID{h.Events[0].ID, h.Events[5].ID} {
		if err := check(parent, e, lot.Voided{EventID: id, Reason: "x"}, at(9)); err == nil {
			t.Error("an event of a lot in parts was voided")
		}
	}
}

func TestSharesFollowTheFishsOwnVerdicts(t *testing.T) {
	parts, ok := lot.ProposeSplit(box().Fold(t))
	if !ok || len(parts) != 2 || parts[0].Count != 6 || parts[1].Count != 2 || parts[1].Fish[0] != 2 ||
		parts[1].Fish[1] != 5 || parts[0].WeightKg != 18 || parts[1].Refused == "" {
		t.Errorf("proposed %+v", parts)
	}
	if _, ok := lot.ProposeSplit(cod().Fold(t)); ok {
		t.Error("a lot that was not inspected has shares")
	}
}

func TestSplitIsChecked(t *testing.T) {
	s := box().Fold(t)
	for _, c := range []struct {
		name  string
		parts []lot.SplitLot
		field string
	}{
		{"sound", []lot.SplitLot{{Count: 6, WeightKg: 18}, {Count: 2, WeightKg: 5.8}}, ""},
		{"one part", []lot.SplitLot{{Count: 8, WeightKg: 24}}, "parts"},
		{"a fish lost", []lot.SplitLot{{Count: 5, WeightKg: 18}, {Count: 2, WeightKg: 6}}, "parts"},
		{"no fish", []lot.SplitLot{{Count: 8, WeightKg: 18}, {Count: 0, WeightKg: 6}}, "parts[1].count"},
		{"a kilo gained", []lot.SplitLot{{Count: 6, WeightKg: 19}, {Count: 2, WeightKg: 6}}, "parts"},
		{"no weight", []lot.SplitLot{{Count: 6, WeightKg: math.NaN()}, {Count: 2, WeightKg: 6}}, "parts[0].weight_kg"},
		{"more fish inspected than in it",
			[]lot.SplitLot{{Count: 7, WeightKg: 18}, {Count: 1, WeightKg: 6, Fish: []int{2, 5}}}, "parts[1].count"},
	} {
		err := check(s, lot.Event{ID: uuid.New(), HappenedAt: at(3)}, lot.Split{Parts: c.parts}, at(9))
		var fields invalid.Errors
		errors.As(err, &fields)
		if c.field == "" && err != nil || c.field != "" && fields.On(c.field) == "" {
			t.Errorf("%s: %v, want a fault of %q", c.name, err, c.field)
		}
	}
}

// What a hard stop holds, only a manager releases.
func TestOnlyAManagerReleasesAHardStop(t *testing.T) {
	s := box().Fold(t)
	e := lot.Event{ID: uuid.New(), HappenedAt: at(3)}
	if err := check(s, e, lot.Released{Reason: "looks fine"}, at(9)); err == nil {
		t.Error("anybody released a hard stop")
	}
	if err := check(s, e, lot.Released{Reason: "smelt again with the chef", Approval: lot.Approval{ByManager: true}}, at(9)); err != nil {
		t.Errorf("a manager could not: %v", err)
	}
}

// Whatever happened to a lot, a split of it says what the whole would have said,
// from the split on and after the same things happened to both.
func TestPartsOfRandomLots(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 3))
	for trial := range 150 {
		h := box()
		hours := 2.0
		happen := func(h *history, kind int, hours, value float64) {
			switch kind {
			case 0:
				h.Add(hours, lot.Temperature{Celsius: value})
			case 1:
				h.Add(hours, inspected(value, 1, freshness.Accept))
			case 2:
				h.Add(hours, lot.Moved{PlaceID: []int64{10, 20}[int(value)%2]})
			default:
				h.Add(hours, lot.Logger{ProbeID: 9, From: at(-10 - value), To: at(-1)})
			}
		}
		for range rnd.IntN(5) {
			hours += 5 * rnd.Float64()
			happen(h, rnd.IntN(4), hours, 6*rnd.Float64())
		}
		part := lot.SplitLot{LotID: uuid.New(), Code: lot.Code(trial + 9), Count: 3, WeightKg: 9}
		child := &history{ID: part.LotID}
		child.Add(hours+0.1, lot.Inherit(h.Fold(t), nil, part, nil))
		hours += 0.2
		for range rnd.IntN(5) {
			hours += 5 * rnd.Float64()
			kind, value := rnd.IntN(3), 6*rnd.Float64()
			happen(h, kind, hours, value)
			happen(child, kind, hours, value)
		}
		readings := coldchain.Series{MaxGap: 3 * time.Hour}
		for x := -60.0; x < hours+40; x += 0.5 + 4*rnd.Float64() {
			readings.Readings = append(readings.Readings,
				coldchain.Reading{At: at(x), Celsius: 1 + 2*rnd.NormFloat64()})
		}
		e := env(at(hours+20*rnd.Float64()), map[int64]coldchain.Record{7: readings, 9: readings})
		want, got := assessNow(h.Fold(t), e), assessNow(child.Fold(t), e)
		near(t, "used", got.Used.Days, want.Used.Days, 1e-9)
		near(t, "left", got.Left.Days, want.Left.Days, 1e-9)
		near(t, "temperature now", got.NowC, want.NowC, 1e-9)
		if len(got.Stops) != len(want.Stops) || got.Basis != want.Basis {
			t.Errorf("stops %v and basis %s, the whole %v and %s", got.Stops, got.Basis, want.Stops, want.Basis)
		}
		if t.Failed() {
			t.Fatalf("trial %d", trial)
		}
	}
}
