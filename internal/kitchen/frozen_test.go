package kitchen_test

import (
	"encoding/json"
	"errors"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// freezerBench is a bench with a freezer that a probe watches, and a thaw shelf.
type freezerBench struct {
	*bench
	freezer, shelf int64
	probe          store.Probe
}

func newFreezerBench(t *testing.T) freezerBench {
	f := freezerBench{bench: newBench(t)}
	for _, p := range []kitchen.NewPlace{{Name: "Freezer", Kind: "freezer", SetC: -22},
		{Name: "Thaw shelf", Kind: "thaw_shelf", SetC: 0}, {Name: "Sink", Kind: "bench", SetC: 16}} {
		f.must(f.AddPlace(f.manager, p))
	}
	places, err := f.Places(f.ctx)
	f.must(err)
	f.freezer, f.shelf = places[2].ID, places[3].ID
	f.probe = f.bench.probe("freezer", f.freezer)
	return f
}

// passes lets time go by with the freezer's air at a temperature.
func (f freezerBench) passes(d time.Duration, celsius float64) {
	f.t.Helper()
	from := f.now
	f.bench.now = f.now.Add(d)
	f.measures(f.probe, from, f.now, celsius)
}

// measures lets a probe send one temperature over a time.
func (f freezerBench) measures(probe store.Probe, from, to time.Time, celsius float64) {
	f.t.Helper()
	var readings []coldchain.Reading
	for at := from; at.Before(to); at = at.Add(5 * time.Minute) {
		readings = append(readings, coldchain.Reading{At: at, Celsius: celsius})
	}
	f.must(f.DB.Write(f.ctx, func(tx *store.Tx) error {
		if _, err := tx.PutReadings(f.ctx, probe, store.BatchOf(readings)); err != nil {
			return err
		}
		return tx.Announce(f.ctx, probe.SiteID, store.Touch{ProbeID: probe.ID, First: readings[0].At, Last: to})
	}))
	f.must(f.RefreshStale(f.ctx))
}

func (f freezerBench) froze() lot.Froze {
	return lot.Froze{BatchID: kitchen.NewID(), PlaceID: f.freezer, Method: "fan", Wrapping: "bare", Shape: heat.Slab,
		MM: 20, StartC: 1, AirC: -22, H: 20}
}

// fillets takes in portions that are young enough for raw service, and accepts
// them.
func (f freezerBench) fillets(species string, count int, kg float64) kitchen.Row {
	f.t.Helper()
	line := f.line(species)
	line.Form, line.Count, line.WeightKg = "fillet_skinless", count, kg
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: f.now,
		Lines: []lot.Received{line}}
	f.must(f.Receive(f.ctx, d))
	docket, err := f.DeliveryNote(f.ctx, d.ID)
	f.must(err)
	return docket.Rows[0]
}

func (f freezerBench) row(id uuid.UUID) kitchen.Row {
	f.t.Helper()
	r, err := f.Row(f.ctx, id)
	f.must(err)
	return r
}

func TestABatchIsFrozenAllOrNone(t *testing.T) {
	f := newFreezerBench(t)
	a, b := f.fillets("salmon", 40, 6.4), f.fillets("salmon", 20, 3.2)
	batch := kitchen.FreezeBatch{Events: map[uuid.UUID]uuid.UUID{a.LotID: kitchen.NewID(), b.LotID: kitchen.NewID()},
		At: f.now, Froze: f.froze()}
	f.must(f.Append(f.ctx, f.write(b.LotID, lot.Held{Reason: "torn bag"})))
	var bad invalid.Errors
	if err := f.Freeze(f.ctx, batch); !errors.As(err, &bad) || !strings.Contains(bad.On("lots"), b.Code) {
		t.Fatalf("with a lot on hold: %v", err)
	}
	if f.row(a.LotID).FrozenStatus != nil {
		t.Error("one of them was frozen")
	}
	f.must(f.Append(f.ctx, f.write(b.LotID, lot.Released{Reason: "rebagged"})))
	f.must(f.Freeze(f.ctx, batch))
	f.must(f.Freeze(f.ctx, batch)) // sent twice
	r := f.row(a.LotID)
	if r.FrozenStatus == nil || r.FrozenStatus.Stage != assess.StageFreezing || r.PlaceID != f.freezer || r.Seq != 2 {
		t.Errorf("%+v, event %d", r.FrozenStatus, r.Seq)
	}
	f.passes(6*time.Hour, -24)
	f.must(f.Append(f.ctx, f.write(a.LotID, lot.Temperature{Celsius: -9})))
	told, err := f.Batch(f.ctx, batch.Froze.BatchID)
	f.must(err)
	if len(told.Rows) != 2 || math.Abs(told.Froze.BatchKg-9.6) > 1e-9 || told.FoundH == 0 || told.FoundH >= 20 ||
		told.Now.ToMinus18 <= told.Predicted.ToMinus18 {
		t.Errorf("found %v W/(m²·K), to −18 °C %v, foretold %v", told.FoundH, told.Now.ToMinus18,
			told.Predicted.ToMinus18)
	}
	// What is frozen is not moved, nor is fresh fish moved into the freezer.
	if err := f.Append(f.ctx, f.write(a.LotID, lot.Moved{PlaceID: f.walkIn})); err == nil {
		t.Error("frozen fish was moved into the walk-in")
	}
	fresh := f.fillets("cod", 4, 1)
	if err := f.Append(f.ctx, f.write(fresh.LotID, lot.Moved{PlaceID: f.freezer})); err == nil {
		t.Error("fresh fish was moved into the freezer")
	}
}

// A thaw for tonight: picked first expired first, split, pulled, checked, ended.
func TestAThawForTonight(t *testing.T) {
	f := newFreezerBench(t)
	old := f.fillets("cod", 30, 4.8)
	freeze := func(r kitchen.Row) {
		f.must(f.Freeze(f.ctx, kitchen.FreezeBatch{Events: map[uuid.UUID]uuid.UUID{r.LotID: kitchen.NewID()},
			At: f.now, Froze: f.froze()}))
	}
	freeze(old)
	f.passes(10*24*time.Hour, -22)
	young := f.fillets("cod", 40, 6.4)
	freeze(young)
	f.passes(48*time.Hour, -22)
	order := kitchen.ThawOrder{ServeAt: f.now.Add(34 * time.Hour), SpeciesID: "cod", Form: "fillet_skinless",
		Portions: 42, PortionKg: 0.16, EndUse: thawing.Cook}
	p, err := f.ProposeThaw(f.ctx, order)
	f.must(err)
	if len(p.Picks) != 2 || p.Picks[0].LotID != old.LotID || p.Picks[0].Pieces != 30 || p.Picks[1].Pieces != 12 ||
		p.ShortKg != 0 || p.Refused() != "" {
		t.Fatalf("%d picks, first %s with %d, short of %v kg: %s", len(p.Picks), p.Picks[0].Code, p.Picks[0].Pieces,
			p.ShortKg, p.Refused())
	}
	if m := p.Picks[0].Choices[p.Picks[0].Chosen].Method.ID; m != thawing.Fridge {
		t.Errorf("by %s", m)
	}
	id := kitchen.NewID()
	f.must(f.SaveThaw(f.ctx, id, order))
	f.must(f.SaveThaw(f.ctx, id, order))
	if again, err := f.ProposeThaw(f.ctx, order); err != nil || again.Picks[0].LotID != young.LotID ||
		again.Picks[0].Pieces != 28 || again.ShortKg == 0 {
		t.Errorf("a second plan takes %+v, %v", again.Picks, err)
	}
	thaw := func() kitchen.Thaw {
		t.Helper()
		x, err := f.Thaw(f.ctx, id)
		f.must(err)
		return x
	}
	tick := func(n int, step string, change func(*kitchen.ThawStepDone)) error {
		t.Helper()
		l := thaw().Lines[n]
		for _, s := range l.Steps {
			if s.Step == step && s.DoneAt == nil {
				in := kitchen.ThawStepDone{PlanID: id, N: l.N, Seq: s.Seq, EventID: kitchen.NewID(), At: f.now}
				if change != nil {
					change(&in)
				}
				return f.CompleteThawStep(f.ctx, in)
			}
		}
		t.Fatalf("no step %s in %+v", step, l.Steps)
		return nil
	}
	core := func(c float64) func(*kitchen.ThawStepDone) {
		return func(in *kitchen.ThawStepDone) { in.CoreC, in.DripKg = &c, 0.05 }
	}
	f.passes(thaw().Lines[1].Plan.StartBy.Sub(f.now)+2*time.Hour, -22) // two hours late
	if over := thaw().Lines[1].Overdue(f.now); over == nil || over.Step != "pull" {
		t.Error("two hours late, and nobody says so")
	}
	f.must(tick(1, "pull", nil))
	pulled := thaw().Lines[1]
	if pulled.LotID == young.LotID || !pulled.Plan.Late || f.row(pulled.LotID).Count != 12 ||
		f.row(pulled.LotID).FrozenStatus.Stage != assess.StageThawing || f.row(pulled.LotID).PlaceID != f.shelf {
		t.Errorf("pulled: %+v, late %v", f.row(pulled.LotID).FrozenStatus, pulled.Plan.Late)
	}
	if f.row(young.LotID).Status != string(lot.WasSplit) {
		t.Errorf("the lot that was parted is %s", f.row(young.LotID).Status)
	}
	f.measures(f.bench.probe("shelf", f.shelf), f.now, order.ServeAt, 1)
	// Still ice in the middle: the rest is planned anew. Then it goes on in water.
	f.bench.now = f.now.Add(6 * time.Hour)
	f.must(tick(1, "core", core(-3)))
	if l := thaw().Lines[1]; l.ThawedAt != nil || l.StartC != -3 || l.Next().Step == "pull" {
		t.Errorf("after a core of −3 °C: %+v", l.Next())
	}
	if err := f.ReplanThaw(f.ctx, kitchen.ThawReplan{PlanID: id, N: 2, Method: thawing.Water,
		EventID: kitchen.NewID()}); err == nil {
		t.Error("into the water seven hours before it is served")
	}
	f.bench.now = order.ServeAt.Add(-75 * time.Minute)
	f.must(f.ReplanThaw(f.ctx, kitchen.ThawReplan{PlanID: id, N: 2, Method: thawing.Water, EventID: kitchen.NewID()}))
	wet := thaw().Lines[1]
	if wet.Method != thawing.Water || wet.Plan.IceFree > 40*time.Minute || wet.Plan.IceFree <= 0 {
		t.Errorf("in water: %s, %v", wet.Method, wet.Plan.IceFree)
	}
	f.bench.now = wet.Plan.ReadyAt
	f.must(tick(1, "core", core(0.5)))
	if r := f.row(wet.LotID); r.FrozenStatus.Stage != assess.StageThawed || r.WeightKg >= 12*0.16 {
		t.Errorf("thawed: %+v, %v kg", r.FrozenStatus, r.WeightKg)
	}
	if err := f.Append(f.ctx, f.write(wet.LotID, lot.Moved{PlaceID: f.walkIn})); err == nil {
		t.Error("fish from the water went back into the walk-in")
	}
	var bad invalid.Errors
	if err := tick(1, "cook", core(50)); !errors.As(err, &bad) || bad.On("core_celsius") == "" {
		t.Errorf("cooked to 50 °C: %v", err)
	}
	f.must(tick(1, "cook", core(64)))
	f.must(tick(1, "exit", func(in *kitchen.ThawStepDone) { in.Exit = "used" }))
	f.must(f.DropThaw(f.ctx, id))
	if x := thaw(); x.ClosedAt == nil || f.row(wet.LotID).Status != string(lot.Finished) ||
		f.row(old.LotID).FrozenStatus.Stage != assess.StageFrozen {
		t.Errorf("closed %v, the first lot is %s", x.ClosedAt, f.row(old.LotID).FrozenStatus.Stage)
	}
}

// A sealed vacuum pack is not thawed closed, whoever asks.
func TestASealedPackIsOpenedFirst(t *testing.T) {
	f := newFreezerBench(t)
	line := f.line("cod")
	core := -21.0
	line.Form, line.Frozen, line.CoreC, line.PlaceID, line.Count, line.WeightKg, line.Packing = "fillet_skinless",
		true, &core, f.freezer, 10, 1.6, &lot.Packing{Pack: lot.PackVacuum}
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: f.now,
		Lines: []lot.Received{line}}
	f.must(f.Receive(f.ctx, d))
	f.passes(24*time.Hour, -22)
	order := kitchen.ThawOrder{ServeAt: f.now.Add(40 * time.Hour), SpeciesID: "cod", Form: "fillet_skinless",
		Portions: 10, PortionKg: 0.16, EndUse: thawing.Cook, Method: thawing.Fridge, KeepPacked: true}
	var bad invalid.Errors
	if err := f.SaveThaw(f.ctx, kitchen.NewID(), order); !errors.As(err, &bad) || !strings.Contains(bad.On("method"),
		"sealed pack") {
		t.Fatalf("closed: %v", err)
	}
	order.KeepPacked = false
	id := kitchen.NewID()
	f.must(f.SaveThaw(f.ctx, id, order))
	x, err := f.Thaw(f.ctx, id)
	f.must(err)
	l := x.Lines[0]
	if l.Steps[0].Step != "open" || l.Steps[1].Step != "pull" {
		t.Fatalf("%+v", l.Steps)
	}
	tick := func(i int) error {
		return f.CompleteThawStep(f.ctx, kitchen.ThawStepDone{PlanID: id, N: l.N, Seq: l.Steps[i].Seq,
			EventID: kitchen.NewID(), At: f.now})
	}
	if err := tick(1); !errors.As(err, &bad) || bad.On("step") == "" {
		t.Errorf("pulled closed: %v", err)
	}
	f.must(tick(0))
	undo := kitchen.ThawStepCorrection{ID: kitchen.NewID(), PlanID: id, N: l.N, Seq: l.Steps[0].Seq, Undone: true}
	if err := f.CorrectThawStep(f.ctx, undo); !errors.As(err, &bad) || bad.On("reason") == "" {
		t.Errorf("corrected without a reason: %v", err)
	}
	undo.Reason = "the other pack"
	f.must(f.CorrectThawStep(f.ctx, undo))
	if x, err = f.Thaw(f.ctx, id); err != nil || x.Lines[0].Steps[0].DoneAt != nil || !x.Lines[0].Sealed || len(x.Was) != 1 {
		t.Errorf("not opened after all: %+v, %v", x.Lines[0], err)
	}
	f.must(tick(0))
	f.must(tick(1))
	undo.ID = kitchen.NewID()
	if err := f.CorrectThawStep(f.ctx, undo); !errors.As(err, &bad) || bad.On("step") == "" {
		t.Errorf("pulled out of a closed pack: %v", err)
	}
	if r := f.row(l.LotID); r.Pack != string(lot.PackAir) || r.FrozenStatus.Stage != assess.StageThawing {
		t.Errorf("pulled: packed in %s, %s", r.Pack, r.FrozenStatus.Stage)
	}
}

// What is left of a thaw is cooked, chilled and marked with its date, or it is
// discarded; what was eaten is split off as used.
func TestWhatIsLeftIsCooked(t *testing.T) {
	f := newFreezerBench(t)
	line := f.line("cod")
	core := -21.0
	line.Form, line.Frozen, line.CoreC, line.PlaceID, line.Count, line.WeightKg = "fillet_skinless", true, &core,
		f.freezer, 10, 1.6
	f.must(f.Receive(f.ctx, kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: f.now,
		Lines: []lot.Received{line}}))
	f.passes(24*time.Hour, -22)
	id := kitchen.NewID()
	f.must(f.SaveThaw(f.ctx, id, kitchen.ThawOrder{ServeAt: f.now.Add(2 * time.Hour), SpeciesID: "cod",
		Form: "fillet_skinless", Portions: 10, PortionKg: 0.16, EndUse: thawing.Cook, Method: thawing.Water}))
	tick := func(step string, in kitchen.ThawStepDone) error {
		t.Helper()
		x, err := f.Thaw(f.ctx, id)
		f.must(err)
		for _, s := range x.Lines[0].Steps {
			if s.Step == step && s.DoneAt == nil {
				in.PlanID, in.N, in.Seq, in.EventID, in.At = id, 1, s.Seq, kitchen.NewID(), f.now
				return f.CompleteThawStep(f.ctx, in)
			}
		}
		t.Fatalf("no step %s", step)
		return nil
	}
	celsius := func(c float64) *float64 { return &c }
	f.must(tick("pull", kitchen.ThawStepDone{}))
	f.bench.now = f.now.Add(50 * time.Minute)
	f.must(tick("core", kitchen.ThawStepDone{CoreC: celsius(0.2), DripKg: 0.04}))
	f.theCoreStepFollowsItsEntry(id)
	f.must(tick("core", kitchen.ThawStepDone{CoreC: celsius(0.2), DripKg: 0.04}))
	for what, in := range map[string]kitchen.ThawStepDone{
		"core_celsius":  {Exit: "cooked"},
		"left":          {Exit: "cooked", CoreC: celsius(66), LeftKg: 3},
		"core_celsius ": {Exit: "cooked", CoreC: celsius(58), LeftKg: 0.5},
		" exit ":        {},
	} {
		var bad invalid.Errors
		if err := tick("exit", in); !errors.As(err, &bad) || bad.On(strings.TrimSpace(what)) == "" {
			t.Errorf("%s: %v", what, err)
		}
	}
	f.must(tick("exit", kitchen.ThawStepDone{Exit: "cooked", CoreC: celsius(66), LeftKg: 0.5})) // three pieces and a fifth
	x, err := f.Thaw(f.ctx, id)
	f.must(err)
	left := f.row(x.Lines[0].LotID)
	if x.ClosedAt == nil || left.FrozenStatus == nil || left.FrozenStatus.Stage != assess.StageCooked ||
		left.WeightKg != 0.5 || left.Count != 4 || !left.Ends.Equal(f.now.Add(48*time.Hour)) {
		t.Errorf("closed %v; left: %d of %v kg, %+v, ends %v", x.ClosedAt, left.Count, left.WeightKg,
			left.FrozenStatus, left.Ends)
	}
	f.must(f.Append(f.ctx, f.write(left.LotID, lot.Moved{PlaceID: f.walkIn}))) // cooked, it may go back
	f.bench.now = f.now.Add(150 * time.Minute)
	f.must(f.Rebuild(f.ctx, kitchen.ActorFrom(f.ctx).Site))
	if r := f.row(left.LotID); len(r.Stops) == 0 {
		t.Error("two hours and a half, and nobody measured it at 21 °C")
	}
}

// theCoreStepFollowsItsEntry corrects the core of a thaw where it was written, in the lot,
// and cancels it: the plan follows.
func (f freezerBench) theCoreStepFollowsItsEntry(plan uuid.UUID) {
	f.t.Helper()
	at := func() (kitchen.ThawLine, kitchen.ThawStep) {
		x, err := f.Thaw(f.ctx, plan)
		f.must(err)
		for _, s := range x.Lines[0].Steps {
			if s.Step == "core" {
				return x.Lines[0], s
			}
		}
		f.t.Fatal("no core step")
		return kitchen.ThawLine{}, kitchen.ThawStep{}
	}
	line, step := at()
	data, err := json.Marshal(lot.Thawed{CoreC: 0.6, DripKg: 0.04})
	f.must(err)
	f.must(f.Append(f.ctx, f.write(line.LotID, lot.Corrected{EventID: *step.EventID, Data: data, Reason: "misread"})))
	if line, step = at(); step.CoreC == nil || *step.CoreC != 0.6 || line.ThawedAt == nil {
		f.t.Errorf("corrected: %+v", step)
	}
	f.must(f.Append(f.manager, f.write(line.LotID, lot.Voided{EventID: *step.EventID, Reason: "another fish"})))
	if line, step = at(); step.DoneAt != nil || line.ThawedAt != nil {
		f.t.Errorf("cancelled, and the plan says thawed: %+v", step)
	}
}

// A letter clears the lots that it speaks of, until it is struck out; only a
// manager puts one on file.
func TestLettersClearLots(t *testing.T) {
	f := newFreezerBench(t)
	r := f.fillets("salmon", 4, 2)
	letter := kitchen.NewDeclaration{ID: kitchen.NewID(), SupplierID: r.SupplierID, SpeciesID: "salmon",
		Kind: assess.DeclaredFarmed, Reference: "F 12, signed B. Quayle", IssuedOn: f.now.AddDate(0, -1, 0),
		ValidTo: f.now.AddDate(0, 11, 0)}
	if err := f.AddDeclaration(f.ctx, letter); !errors.Is(err, kitchen.ErrManager) {
		t.Errorf("by the buyer: %v", err)
	}
	cleared := func() bool {
		t.Helper()
		card, err := f.Card(f.ctx, r.LotID)
		f.must(err)
		return card.Assessment.Parasites.Met
	}
	f.must(f.AddDeclaration(f.manager, letter))
	f.must(f.AddDeclaration(f.manager, letter))
	if cleared() {
		t.Error("a farmed letter clears fish of which nobody says that it is farmed")
	}
	f.must(f.Append(f.ctx, f.write(r.LotID, lot.Declared{Origin: lot.Farmed, Reason: "the label"})))
	list, err := f.Declarations(f.ctx)
	f.must(err)
	if !cleared() || len(list) != 1 {
		t.Errorf("cleared %v, %d letters", cleared(), len(list))
	}
	f.must(f.CancelDeclaration(f.manager, letter.ID))
	if cleared() {
		t.Error("a struck letter clears")
	}
	letter.ID, letter.ValidTo, letter.Reference = kitchen.NewID(), letter.IssuedOn.AddDate(0, 0, -1), ""
	var bad invalid.Errors
	if err := f.AddDeclaration(f.manager, letter); !errors.As(err, &bad) || bad.On("valid") == "" ||
		bad.On("reference") == "" {
		t.Errorf("%v", err)
	}
}

// A batch that comes in the middle of an hour is followed from the air of that
// hour; its page was an error until the next one began.
func TestABatchInTheMiddleOfAnHour(t *testing.T) {
	f := newFreezerBench(t)
	f.passes(50*time.Minute, -18)
	r := f.fillets("cod", 4, 1)
	froze := f.froze()
	f.must(f.Freeze(f.ctx, kitchen.FreezeBatch{Events: map[uuid.UUID]uuid.UUID{r.LotID: kitchen.NewID()}, At: f.now,
		Froze: froze}))
	for _, later := range []time.Duration{0, 5 * time.Minute, 70 * time.Minute} {
		if later > 0 {
			f.passes(later, -18)
		}
		v, err := f.Freezer(f.ctx)
		if err != nil {
			t.Fatalf("the freezer %v later: %v", later, err)
		}
		b, err := f.Batch(f.ctx, froze.BatchID)
		if err != nil || len(v.Batches) != 1 {
			t.Fatalf("the batch %v later: %d, %v", later, len(v.Batches), err)
		}
		// the air is warmer than the −22 °C that it was forecast in
		if later > time.Hour && b.Now.Solid <= b.Predicted.Solid {
			t.Errorf("%v later it is solid after %v, foretold after %v", later, b.Now.Solid, b.Predicted.Solid)
		}
	}
}
