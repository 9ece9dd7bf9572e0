package kitchen_test

import (
	"encoding/json"
	"errors"
	"maps"
	"math"
	"slices"
	"testing"
	"time"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// cod receives six gutted cod of 12 kg at 9 a kilogram and looks at them.
func (b *bench) cod() kitchen.Card {
	b.t.Helper()
	line := b.line("cod")
	line.Count, line.WeightKg, line.PriceCents = 6, 12, 900
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now, Lines: []lot.Received{line}}
	b.must(b.Receive(b.ctx, d))
	note, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	b.now = b.now.Add(10 * time.Minute)
	fish := freshness.Fish{Signs: freshness.Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0, "skin": 0}}
	b.must(b.Inspect(b.ctx, kitchen.Inspection{EventID: kitchen.NewID(), LotID: note.Rows[0].LotID, At: b.now, Scheme: "quick",
		Fish: []freshness.Fish{fish}, Decision: freshness.Accept}))
	card, err := b.Card(b.ctx, note.Rows[0].LotID)
	b.must(err)
	return card
}

// Four of six cod are cut, by usual proportions but for what was weighed; a part is cut further. A weight that was
// misread is corrected, and what came of it follows.
func TestFishIsCut(t *testing.T) {
	b := newBench(t)
	whole := b.cod()
	write := b.write(whole.State.ID, lot.Cut{Count: 4, WeightKg: 8, Minutes: 30, Whiteness: "white", Parts: []lot.CutPart{
		{Form: "fillet_skin_on", Count: 8, WeightKg: 3.8, To: cutting.ToService},
		{Form: "collar", Count: 8, To: cutting.ToService},
		{Form: "frame", Count: 4, To: cutting.ToStock},
		{Form: cutting.Waste, WeightKg: 1.9, To: cutting.ToBin}}})
	write.Seen = whole.State.Seq
	b.must(b.Append(b.ctx, write))
	b.must(b.Append(b.ctx, write)) // sent twice it is one cut
	again := b.write(whole.State.ID, write.Payload)
	again.Seen = whole.State.Seq
	var moved *kitchen.Changed
	if err := b.Append(b.ctx, again); !errors.As(err, &moved) {
		t.Errorf("two people cut one lot: %v", err)
	}
	after, err := b.Card(b.ctx, whole.State.ID)
	b.must(err)
	if s := after.State; s.Count != 2 || s.WeightKg != 4 || len(s.Cuts) != 1 || len(s.Exits) != 2 {
		t.Fatalf("%d fish of %.1f kg are left, %d cuts, %+v", s.Count, s.WeightKg, len(s.Cuts), s.Exits)
	}
	made := after.State.Cuts[0]
	frame := made.Parts[2]
	if !frame.Estimated || !(frame.WeightKg > 0.3) || made.Parts[0].Estimated || made.Labour != 1300 {
		t.Errorf("the frames: %+v; the work cost %d", frame, made.Labour)
	}
	fillets, err := b.Card(b.ctx, made.Parts[0].LotID)
	b.must(err)
	if s := fillets.State; s.Form != "fillet_skin_on" || s.Count != 8 || s.WeightKg != 3.8 || !(s.CostCents > 0.8*made.Cents) {
		t.Errorf("the fillets: %d × %s, %.2f kg, %.0f cents of %.0f", s.Count, s.Form, s.WeightKg, s.CostCents, made.Cents)
	}

	b.now = b.now.Add(time.Hour)
	b.must(b.Append(b.ctx, b.write(fillets.State.ID, lot.Cut{Count: 8, WeightKg: 3.8, Parts: []lot.CutPart{
		{Form: "portion_skin_on", Count: 20, WeightKg: 3.5, To: cutting.ToService}, {Form: "trim", Count: 1, WeightKg: 0.27, To: cutting.ToStaff}}})))
	fillets, err = b.Card(b.ctx, fillets.State.ID)
	b.must(err)
	portions := fillets.State.Cuts[0].Parts[0].LotID
	before, err := b.Card(b.ctx, portions)
	b.must(err)
	if fillets.State.Status != lot.WasCut || before.State.Form != "portion_skin_on" || !before.State.CutAt.Equal(made.At) {
		t.Errorf("the fillets are %s; portions cut at %v, the fish at %v", fillets.State.Status, before.State.CutAt, made.At)
	}
	r, err := b.Row(b.ctx, portions)
	b.must(err)
	if r.Status != string(lot.OnHand) || r.CostCents != before.State.CostCents {
		t.Errorf("portions on the board: %+v", r.LotBoard)
	}

	now := made.Cut
	now.Parts = append([]lot.CutPart{}, made.Parts...)
	now.Parts[3].WeightKg, now.Parts[0].WeightKg = 1.6, 4.1 // the bin was tared, the fillets were not
	data, err := json.Marshal(now)
	b.must(err)
	b.must(b.Append(b.ctx, b.write(whole.State.ID, lot.Corrected{EventID: made.EventID, Data: data, Reason: "the tray was on the scale"})))
	fillets, err = b.Card(b.ctx, fillets.State.ID)
	b.must(err)
	if f := fillets.State; f.Cuts[0].Kg != 4.1 || f.Received.WeightKg != 4.1 {
		t.Errorf("the fillets weigh %.2f kg after the correction, and %.2f were cut", f.Received.WeightKg, f.Cuts[0].Kg)
	}
	if p, err := b.Card(b.ctx, portions); err != nil || math.Abs(p.State.CostCents-fillets.State.Cuts[0].Costs[0]) > 1e-6 || p.State.CostCents == before.State.CostCents {
		t.Errorf("%v: the portions cost %.2f, were %.2f; the cut says %.2f", err, p.State.CostCents, before.State.CostCents, fillets.State.Cuts[0].Costs[0])
	}

	var fields invalid.Errors
	if err := b.Append(b.ctx, b.write(whole.State.ID, lot.Voided{EventID: made.EventID, Reason: "a slip"})); !errors.As(err, &fields) {
		t.Errorf("a cut was cancelled: %v", err)
	}
	prawn, _ := species.Builtin().Get("prawn")
	boards, err := b.Bench(b.ctx)
	b.must(err)
	if !slices.Equal(boards.Met, []string{"Atlantic cod"}) || boards.Asks(prawn, false) == "" || boards.Asks(whole.State.Species(), true) != "" {
		t.Errorf("the boards met %v, of prawns they say %q", boards.Met, boards.Asks(prawn, false))
	}
	b.now = b.now.Add(time.Minute)
	once := kitchen.NewID()
	b.must(b.CleanDown(b.ctx, once))
	b.must(b.CleanDown(b.ctx, once))
	if boards, err = b.Bench(b.ctx); err != nil || len(boards.Met) > 0 || !boards.At.Equal(b.now) || boards.Asks(prawn, true) != "" {
		t.Errorf("%v: after the clean-down they met %+v", err, boards)
	}

	site := kitchen.ActorFrom(b.ctx).Site
	if n, err := b.CheckChains(b.ctx, site); err != nil || n != 4 {
		t.Errorf("%d chains, %v", n, err)
	}
	was, err := b.Cuts(b.ctx, b.now.Add(-24*time.Hour))
	b.must(err)
	b.must(b.Rebuild(b.ctx, site))
	rebuilt, err := b.Cuts(b.ctx, b.now.Add(-24*time.Hour))
	b.must(err)
	if len(was) != 2 || len(rebuilt) != 2 || was[1].Parts[0].Kg != 4.1 || rebuilt[1].Parts[0].Kg != 4.1 {
		t.Errorf("noted %+v, rebuilt %+v", was, rebuilt)
	}
}

// The kitchen's usual ways go with each cut; scored skin starts the clock of the knife for a fish that stays whole.
func TestTheWaysOfTheBench(t *testing.T) {
	b := newBench(t)
	if err := b.SetBench(b.ctx, map[string]string{"skin": "scored"}, "weight"); err == nil {
		t.Error("a buyer sets the ways of the bench")
	}
	var wrong invalid.Errors
	if err := b.SetBench(b.manager, map[string]string{"skin": "gilded"}, "whim"); !errors.As(err, &wrong) || wrong.On("policy-skin") == "" || wrong.On("cost_by") == "" {
		t.Errorf("ways that there are not: %v", err)
	}
	b.must(b.SetBench(b.manager, map[string]string{"skin": "scored"}, "weight"))
	site, err := b.SiteBySlug(b.ctx, kitchen.ActorFrom(b.ctx).Site.Slug)
	b.must(err)
	actor := kitchen.ActorFrom(b.ctx)
	actor.Site = site
	ctx := kitchen.WithActor(b.ctx, actor)
	whole := b.cod()
	b.must(b.Append(ctx, b.write(whole.State.ID, lot.Cut{Count: 1, WeightKg: 2, Parts: []lot.CutPart{
		{Form: "pan_ready", Count: 1, WeightKg: 1.7, To: cutting.ToService}, {Form: cutting.Waste, WeightKg: 0.28, To: cutting.ToBin}}})))
	after, err := b.Card(b.ctx, whole.State.ID)
	b.must(err)
	made := after.State.Cuts[0]
	ready, err := b.Card(b.ctx, made.Parts[0].LotID)
	b.must(err)
	if made.Policies["skin"] != "scored" || made.CostBy != "weight" || !ready.State.CutAt.Equal(made.At) {
		t.Errorf("the cut was made %v, cost by %s; its fish is open since %v", made.Policies, made.CostBy, ready.State.CutAt)
	}
}

// Who was shown a card by whom, and who does it alone; sent twice it is once.
func TestTraining(t *testing.T) {
	b := newBench(t)
	names, err := b.Names(b.ctx)
	b.must(err)
	ids := slices.Sorted(maps.Keys(names))
	shown := kitchen.NewTraining{ID: kitchen.NewID(), Card: "cod-fillets", PersonID: ids[0], ShownBy: ids[1]}
	b.must(b.Train(b.ctx, shown))
	b.must(b.Train(b.ctx, shown))
	b.now = b.now.Add(24 * time.Hour)
	b.must(b.Train(b.ctx, kitchen.NewTraining{ID: kitchen.NewID(), Card: "cod-fillets", PersonID: ids[0]}))
	for field, in := range map[string]kitchen.NewTraining{"card": {Card: "unicorn", PersonID: ids[0]}, "person_id": {Card: "cod-fillets"},
		"shown_by": {Card: "cod-fillets", PersonID: ids[0], ShownBy: ids[0]}} {
		in.ID = kitchen.NewID()
		var wrong invalid.Errors
		if err := b.Train(b.ctx, in); !errors.As(err, &wrong) || wrong.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	of, err := b.Training(b.ctx)
	b.must(err)
	if list := of["cod-fillets"]; len(list) != 1 || list[0].ShownBy != names[ids[1]] || !list[0].AloneAt.Equal(b.now) || !list[0].ShownAt.Before(b.now) {
		t.Errorf("%+v", list)
	}
}
