package lot_test

import (
	"math"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
)

// Of four cod of 8 kg in all.
func TestWhatIsTakenLeavesTheRest(t *testing.T) {
	for _, c := range []struct {
		what   string
		p      lot.Taken
		kg     float64 // taken
		leftKg float64
		left   int
		status lot.Status
	}{
		{"by weight, into the second fish", lot.Taken{EndUse: lot.UsedCooked, WeightKg: 2.5}, 2.5, 5.5, 3, lot.OnHand},
		{"two fish", lot.Taken{EndUse: lot.UsedStaff, Count: 2}, 4, 4, 2, lot.OnHand},
		{"a fish on the scale", lot.Taken{EndUse: lot.UsedRaw, Count: 1, WeightKg: 2.2}, 2.2, 5.8, 3, lot.OnHand},
		{"a taste", lot.Taken{EndUse: lot.UsedTasting, WeightKg: 0.05}, 0.05, 7.95, 4, lot.OnHand},
		{"some waste", lot.Taken{EndUse: lot.UsedWaste, WeightKg: 0.5, Reason: lot.WasteTrim}, 0.5, 7.5, 4, lot.OnHand},
		{"all of it", lot.Taken{EndUse: lot.UsedSold, WeightKg: 8}, 8, 0, 0, lot.Finished},
		{"whatever is left", lot.Taken{EndUse: lot.UsedSold, All: true}, 8, 0, 0, lot.Finished},
		{"all, and the scale finds more", lot.Taken{EndUse: lot.UsedSold, WeightKg: 8.1}, 8, 0, 0, lot.Finished},
		{"all the fish, some drip lost", lot.Taken{EndUse: lot.UsedStock, Count: 4, WeightKg: 7.6}, 8, 0, 0, lot.Finished},
		{"all wasted", lot.Taken{EndUse: lot.UsedWaste, Count: 4, Reason: lot.WasteOther, Note: "flooded"}, 8, 0, 0, lot.WasDiscarded},
	} {
		h := received()
		if wrong := refusal(h.Fold(t), facts(5), 5, c.p); len(wrong) > 0 {
			t.Errorf("%s: %v", c.what, wrong)
			continue
		}
		before := h.Fold(t).Piece()
		e := h.Add(5, c.p)
		s := h.Fold(t)
		if s.Status != c.status || len(s.Exits) != 1 || math.Abs(s.Exits[0].Kg-c.kg) > 1e-9 || s.Exits[0].EventID != e.ID {
			t.Errorf("%s: %s, left as %+v", c.what, s.Status, s.Exits)
		}
		if s.Status == lot.OnHand && (math.Abs(s.WeightKg-c.leftKg) > 1e-9 || s.Count != c.left) {
			t.Errorf("%s: %d fish, %.3f kg are left, want %d, %.3f", c.what, s.Count, s.WeightKg, c.left, c.leftKg)
		}
		if s.Piece() != before {
			t.Errorf("%s: what is left is another fish: %+v, was %+v", c.what, s.Piece(), before)
		}
		h.Add(6, lot.Voided{EventID: e.ID, Reason: "a slip"})
		if s := h.Fold(t); s.Status != lot.OnHand || s.WeightKg != 8 || s.Count != 4 || len(s.Exits) > 0 {
			t.Errorf("%s, cancelled: %s, %d fish, %.3f kg", c.what, s.Status, s.Count, s.WeightKg)
		}
	}
}

func TestTakesThatCannotBe(t *testing.T) {
	held := received()
	held.Add(1, lot.Held{Reason: "a smell"})
	hung, _ := before("taken_down")
	for _, c := range []struct {
		what  string
		h     *lottest.History
		p     lot.Taken
		field string
	}{
		{"nothing", received(), lot.Taken{EndUse: lot.UsedRaw}, "weight_kg"},
		{"less than nothing", received(), lot.Taken{EndUse: lot.UsedRaw, WeightKg: -1}, "weight_kg"},
		{"no number", received(), lot.Taken{EndUse: lot.UsedRaw, WeightKg: math.NaN()}, "weight_kg"},
		{"more than there is", received(), lot.Taken{EndUse: lot.UsedRaw, WeightKg: 8.5}, "weight_kg"},
		{"more fish than there are", received(), lot.Taken{EndUse: lot.UsedRaw, Count: 5}, "count"},
		{"all the fish, much weight left", received(), lot.Taken{EndUse: lot.UsedRaw, Count: 4, WeightKg: 4}, "count"},
		{"all, and a part", received(), lot.Taken{EndUse: lot.UsedRaw, All: true, WeightKg: 1}, "all"},
		{"no use", received(), lot.Taken{WeightKg: 1}, "end_use"},
		{"as if it were a count", received(), lot.Taken{EndUse: lot.NotCounted, WeightKg: 1}, "end_use"},
		{"waste for no reason", received(), lot.Taken{EndUse: lot.UsedWaste, WeightKg: 1}, "reason"},
		{"waste for another reason", received(), lot.Taken{EndUse: lot.UsedWaste, WeightKg: 1, Reason: lot.WasteOther}, "note"},
		{"a reason without waste", received(), lot.Taken{EndUse: lot.UsedRaw, WeightKg: 1, Reason: lot.WasteTrim}, "reason"},
		{"through a closed gate", received(), lot.Taken{EndUse: lot.UsedTasting, WeightKg: 1}, "lot"},
		{"on hold", held, lot.Taken{EndUse: lot.UsedRaw, WeightKg: 1}, "lot"},
		{"from the hook", hung, lot.Taken{EndUse: lot.UsedRaw, WeightKg: 1}, "lot"},
	} {
		f := facts(5)
		delete(f.Answers, lot.ExitTasting)
		if refusal(c.h.Fold(t), f, 5, c.p).On(c.field) == "" {
			t.Errorf("%s was taken: %v", c.what, refusal(c.h.Fold(t), f, 5, c.p))
		}
	}
	for _, h := range []*lottest.History{held, hung} {
		waste := lot.Taken{EndUse: lot.UsedWaste, WeightKg: 1, Reason: lot.WasteTooOld}
		if wrong := refusal(h.Fold(t), facts(5), 5, waste); len(wrong) > 0 {
			t.Errorf("it cannot even be thrown away: %v", wrong)
		}
	}
}

// Money that a supplier gives back comes off what the fish cost: of what is left its share.
func TestMoneyBack(t *testing.T) {
	h := received() // 8 kg at 14.50, and 6.00 for cleaning: 122.00
	complaint := h.Add(1, lot.Complaint{Number: "COVE-1/1", WeightKg: 2, Remedy: "credit", Reasons: []string{"soft"}})
	h.Add(2, lot.Taken{EndUse: lot.UsedCooked, WeightKg: 2})
	cost := func() float64 { return h.Fold(t).CostCents }
	if got := cost(); math.Abs(got-9150) > 1e-9 {
		t.Fatalf("what is left cost %.2f", got)
	}
	back := lot.Settled{ComplaintID: complaint.ID, Answer: lot.Credited, CreditCents: 1220}
	for what, wrong := range map[string]struct {
		p     lot.Settled
		field string
	}{
		"more than it cost":  {lot.Settled{ComplaintID: complaint.ID, Answer: lot.Credited, CreditCents: 12201}, "credit_cents"},
		"no money":           {lot.Settled{ComplaintID: complaint.ID, Answer: lot.Credited}, "credit_cents"},
		"money all the same": {lot.Settled{ComplaintID: complaint.ID, Answer: "rejected", CreditCents: 5}, "credit_cents"},
		"no answer":          {lot.Settled{ComplaintID: complaint.ID, CreditCents: 5}, "answer"},
		"another complaint":  {lot.Settled{ComplaintID: uuid.New(), Answer: "replaced"}, "complaint_id"},
	} {
		if bad := refusal(h.Fold(t), facts(3), 3, wrong.p); bad.On(wrong.field) == "" {
			t.Errorf("%s: %v", what, bad)
		}
	}
	if bad := refusal(h.Fold(t), facts(3), 3, back); len(bad) > 0 {
		t.Fatal(bad)
	}
	settled := h.Add(3, back)
	if got := cost(); math.Abs(got-0.9*9150) > 1e-9 {
		t.Errorf("a tenth came back, and what is left cost %.2f", got)
	}
	if bad := refusal(h.Fold(t), facts(4), 4, back); bad.On("complaint_id") == "" {
		t.Error("the same complaint is paid twice")
	}
	h.Add(5, lot.Voided{EventID: settled.ID, Reason: "a slip"})
	if got := cost(); math.Abs(got-9150) > 1e-9 {
		t.Errorf("cancelled: %.2f", got)
	}
}
