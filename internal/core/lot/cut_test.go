package lot_test

import (
	"math"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/costing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/core/species"
)

// part is a part of a cut; what stays has a lot.
func part(form string, count int, kg float64, to cutting.Destination) lot.CutPart {
	p := lot.CutPart{Form: form, Count: count, WeightKg: kg, To: to}
	if !to.Leaves() {
		p.LotID, p.Code = uuid.New(), lot.Code(90+count)
	}
	return p
}

// twoCod is a cut of two of the four cod of 8 kg: 4 kg went in.
func twoCod(more ...lot.CutPart) lot.Cut {
	return lot.Cut{Count: 2, WeightKg: 4, Parts: append([]lot.CutPart{part("fillet_skin_on", 4, 1.9, cutting.ToService),
		part("collar", 4, 0.2, cutting.ToService), part("frame", 2, 1, cutting.ToStock), part(cutting.Waste, 0, 0.88, cutting.ToBin)}, more...)}
}

func TestWhatIsCutLeavesTheRest(t *testing.T) {
	h := received()
	cut := twoCod()
	if wrong := refusal(h.Fold(t), facts(5), 5, cut); len(wrong) > 0 {
		t.Fatal(wrong)
	}
	whole := h.Fold(t)
	e := h.Add(5, cut)
	s := h.Fold(t)
	if s.Status != lot.OnHand || s.Count != 2 || s.WeightKg != 4 || len(s.Cuts) != 1 || s.Piece() != whole.Piece() {
		t.Errorf("%s, %d fish of %.2f kg, %d cuts, a piece %+v", s.Status, s.Count, s.WeightKg, len(s.Cuts), s.Piece())
	}
	if len(s.Exits) != 2 || s.Exits[0].EndUse != lot.UsedStock || s.Exits[0].Form != "frame" || s.Exits[1].Reason != lot.WasteTrim {
		t.Errorf("what left: %+v", s.Exits)
	}
	if math.Abs(s.CostCents-6100) > 1e-6 { // 8 kg at 14.50 and a fee of 6: half of it
		t.Errorf("the rest costs %.0f, want 6100", s.CostCents)
	}

	fillets := child(t, whole, e, cut, 0)
	if fillets.Form != "fillet_skin_on" || fillets.Count != 4 || fillets.WeightKg != 1.9 || fillets.CutFrom != "gutted" ||
		!fillets.CutAt.Equal(e.HappenedAt) || fillets.ParentCode != whole.Received.Code {
		t.Errorf("fillets: %+v", fillets)
	}
	if got, fish := fillets.Piece().ThicknessMM, whole.Piece().ThicknessMM; !(got < fish) || fillets.PieceAt(e.HappenedAt.Add(-time.Minute)) != whole.Piece() {
		t.Errorf("a fillet is %.0f mm thick, its fish %.0f", got, fish)
	}
	h.Add(6, lot.Cut{Count: 2, WeightKg: 4, Parts: twoCod().Parts})
	if s := h.Fold(t); s.Status != lot.WasCut {
		t.Errorf("with the last two cut: %s", s.Status)
	}
}

// child folds the lot that a part of a cut began.
func child(t *testing.T, whole *lot.State, e lot.Event, cut lot.Cut, i int) *lot.State {
	t.Helper()
	h := lottest.History{ID: cut.Parts[i].LotID}
	h.Add(0, lot.InheritCut(whole, e.Hash, e, cut, i))
	h.Events[0].HappenedAt, h.Events[0].RecordedAt = e.HappenedAt, e.RecordedAt
	return h.Fold(t)
}

func TestCutsThatCannotBe(t *testing.T) {
	held := received()
	held.Add(1, lot.Held{Reason: "a smell"})
	frozen, _ := before("pulled")
	hung, _ := before("taken_down")
	with := func(change func(*lot.Cut)) lot.Cut {
		c := twoCod()
		change(&c)
		return c
	}
	for _, c := range []struct {
		what  string
		h     *lottest.History
		p     lot.Cut
		field string
	}{
		{"nothing", received(), lot.Cut{Count: 1, WeightKg: 2}, "parts"},
		{"more fish than there are", received(), with(func(c *lot.Cut) { c.Count = 5 }), "count"},
		{"more than there is", received(), with(func(c *lot.Cut) { c.WeightKg = 8.4 }), "weight_kg"},
		{"two fish of four that weigh all", received(), with(func(c *lot.Cut) { c.WeightKg = 8 }), "count"},
		{"all the fish, half the weight", received(), with(func(c *lot.Cut) { c.Count = 4 }), "weight_kg"},
		{"more out than in", received(), twoCod(part("trim", 1, 0.2, cutting.ToService)), "parts"},
		{"much gone", received(), with(func(c *lot.Cut) { c.Parts = c.Parts[:3] }), "missing"},
		{"what the body does not have", received(), with(func(c *lot.Cut) { c.Parts[1].Form = "wing" }), "parts[1].form"},
		{"more collars than it has", received(), with(func(c *lot.Cut) { c.Parts[1].Count = 5 }), "parts[1].count"},
		{"waste that is served", received(), with(func(c *lot.Cut) { c.Parts[3] = part(cutting.Waste, 1, 0.88, cutting.ToService) }), "parts[3].to"},
		{"a part to nowhere", received(), with(func(c *lot.Cut) { c.Parts[0].To = "" }), "parts[0].to"},
		{"a part that stays without a lot", received(), with(func(c *lot.Cut) { c.Parts[0].LotID = uuid.Nil }), "parts[0].lot_id"},
		{"no number", received(), with(func(c *lot.Cut) { c.Parts[0].WeightKg = math.NaN() }), "parts[0].weight_kg"},
		{"to the raw bar through a closed gate", received(), with(func(c *lot.Cut) { c.Parts[0].To = cutting.ToRawBar }), "parts[0].to"},
		{"into a place that there is not", received(), with(func(c *lot.Cut) { c.Parts[0].PlaceID = 99 }), "parts[0].place_id"},
		{"in a way that nobody knows", received(), with(func(c *lot.Cut) { c.Policies = map[string]string{"skin": "gilded"} }), "policies"},
		{"on hold", held, twoCod(), "lot"},
		{"frozen", frozen, twoCod(), "lot"},
		{"in the ageing cabinet", hung, twoCod(), "lot"},
	} {
		if wrong := refusal(c.h.Fold(t), facts(5), 5, c.p); wrong.On(c.field) == "" {
			t.Errorf("%s: %v, want an error on %s", c.what, wrong, c.field)
		}
	}
	hard := facts(5)
	cold := -4.0
	hard.FishC = &cold
	if wrong := refusal(received().Fold(t), hard, 5, twoCod()); wrong.On("lot") == "" {
		t.Error("fish that is hard with frost was cut")
	}
	if wrong := refusal(received().Fold(t), facts(5), 5, with(func(c *lot.Cut) { c.Parts, c.Missing = c.Parts[:3], true })); len(wrong) > 0 {
		t.Errorf("much gone, and known: %v", wrong)
	}
}

// By what the parts are worth, and by weight; the shares themselves are held against a textbook in package costing.
func TestTheCostOfACutIsShared(t *testing.T) {
	h := received()
	cut := lot.Cut{Count: 4, WeightKg: 8, Labour: 1000, CostBy: costing.ByValue, Missing: true, Parts: []lot.CutPart{
		part("fillet_skin_on", 8, 3, cutting.ToService), part("collar", 8, 1, cutting.ToService), part(cutting.Waste, 0, 3.9, cutting.ToBin)}}
	cut.Parts[0].Worth, cut.Parts[1].Worth = 20, 30
	whole := h.Fold(t)
	e := h.Add(5, cut)
	want := 12200 + 1000.0 // the fish, and the work
	if a, b := child(t, whole, e, cut, 0).CostCents, child(t, whole, e, cut, 1).CostCents; math.Abs(a-want*60/90) > 1e-6 || math.Abs(b-want*30/90) > 1e-6 {
		t.Errorf("by value: %.2f and %.2f of %.0f", a, b, want)
	}
	cut.CostBy = costing.ByWeight
	if got := child(t, whole, e, cut, 0).CostCents; math.Abs(got-want*3/7.9) > 1e-6 {
		t.Errorf("by weight: %.2f", got)
	}
}

// By the kilo, the piece and the box, with fee and freight; by hand.
func TestWhatAReceiptCost(t *testing.T) {
	for _, c := range []struct {
		what string
		p    lot.Received
		want float64
	}{
		{"no price", lot.Received{WeightKg: 8, Count: 4, FeeCents: 600}, 0},
		{"by the kilo, cleaned", lot.Received{WeightKg: 8, Count: 4, PriceCents: 1450, FeeCents: 600}, 12200},
		{"by the piece, with freight", lot.Received{WeightKg: 8, Count: 4, UnitCents: 2100, PriceFor: lot.PerPiece, FreightCents: 350}, 8750},
		{"two boxes", lot.Received{WeightKg: 8, Count: 4, UnitCents: 4800, PriceFor: lot.PerBox, Boxes: 2}, 9600},
		{"a box", lot.Received{WeightKg: 8, Count: 4, UnitCents: 4800, PriceFor: lot.PerBox}, 4800},
	} {
		c.p.SpeciesID, c.p.Form = "cod", "gutted"
		if got := lot.AfterReceipt(species.Builtin(), c.p, at(0)).CostCents; got != c.want {
			t.Errorf("%s: %.0f, want %.0f", c.what, got, c.want)
		}
	}
	bad := received().Fold(t).Received
	for field, p := range map[string]lot.Received{"price_for": {UnitCents: 100}, "unit_price_cents": {UnitCents: 100, PriceFor: lot.PerBox, PriceCents: 1}} {
		p.Form, p.Count, p.WeightKg, p.Ice, p.PlaceID = bad.Form, 1, 1, bad.Ice, bad.PlaceID
		p.SpeciesID = "cod"
		if refusal(nil, facts(1), 0, p).On(field) == "" {
			t.Errorf("%s: %v", field, refusal(nil, facts(1), 0, p))
		}
	}
}
