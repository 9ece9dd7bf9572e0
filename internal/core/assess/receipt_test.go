package assess

import (
	"errors"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

func TestChecksAndComplaints(t *testing.T) {
	h := cod()
	photo := lot.Photographed{PhotoID: uuid.New(), SHA256: strings.Repeat("ab", 32)}
	h.Add(0.1, photo)
	h.Add(0.2, lot.Checked{Off: []lot.Trim{"scales", "guts"}, Left: []lot.Trim{"scales"}, Missing: []lot.Trim{"tail"},
		Faults: []string{"no_drain"}, ReworkMinutes: 7.5, WageCents: 2600})
	refuse := inspected(9, 1, freshness.Refuse)
	refuse.Proposed.Reasons, refuse.Proposed.Against = []string{"no life left", "1 of 9 fish inspected"},
		[]string{"no life left"}
	h.Add(0.3, refuse)
	s := h.Fold(t)
	if got := s.Checks[0].CostCents(); got != 325 { // 7.5 / 60 · 26.00
		t.Errorf("rework costs %d cents, want 325", got)
	}
	want := []string{"no life left", "ordered off, still on: Scales", "ordered on, missing: Tail",
		"packing: Does not drain: fish in melt water", "8 minutes of rework, 3.25"}
	if got := lot.ComplaintReasons(s); !slices.Equal(got, want) {
		t.Errorf("reasons %q, want %q", got, want)
	}
	e := lot.Event{ID: uuid.New(), HappenedAt: at(1)}
	claim := lot.Complaint{Number: "X/1", WeightKg: 3.2, Remedy: "credit", Reasons: want,
		Photos: []uuid.UUID{photo.PhotoID}}
	if err := check(s, e, claim, at(2)); err != nil {
		t.Errorf("a claim on a refused lot: %v", err)
	}
	for field, spoil := range map[string]func(*lot.Complaint){
		"weight_kg": func(c *lot.Complaint) { c.WeightKg = 3.6 },
		"asks":      func(c *lot.Complaint) { c.Remedy = "revenge" },
		"reasons":   func(c *lot.Complaint) { c.Reasons = nil },
		"photos":    func(c *lot.Complaint) { c.Photos = []uuid.UUID{uuid.New()} },
	} {
		bad := claim
		spoil(&bad)
		var fields invalid.Errors
		if err := check(s, e, bad, at(2)); !errors.As(err, &fields) || fields.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func TestCheckedIsChecked(t *testing.T) {
	s := cod().Fold(t)
	warm := 900.0
	for field, p := range map[string]lot.Checked{
		"off":                 {Off: []lot.Trim{"wings"}},
		"left":                {Left: []lot.Trim{"scales"}},
		"packing_faults":      {Faults: []string{"ugly"}},
		"rework_minutes":      {ReworkMinutes: math.NaN()},
		"wage_cents_per_hour": {WageCents: -1},
		"packing_celsius":     {PackingC: &warm},
	} {
		var fields invalid.Errors
		if err := check(s, lot.Event{ID: uuid.New(), HappenedAt: at(1)}, p, at(2)); !errors.As(err, &fields) ||
			fields.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	if err := check(s, lot.Event{ID: uuid.New(), HappenedAt: at(1)}, lot.Checked{Off: []lot.Trim{}}, at(2)); err != nil {
		t.Errorf("nothing to say: %v", err)
	}
}
