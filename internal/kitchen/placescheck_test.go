package kitchen_test

import (
	"context"
	"errors"
	"math"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// checked is a kitchen with hours for its checks.
func checked(t *testing.T) (*bench, context.Context) {
	t.Helper()
	b := newBench(t)
	b.must(b.SetSettings(b.manager, kitchen.Settings{Name: "Test kitchen", TimeZone: "UTC", Currency: "EUR", Checks: []string{"22:30", "01:00", "06:30"}}))
	site, err := b.SiteBySlug(b.ctx, kitchen.ActorFrom(b.ctx).Site.Slug)
	b.must(err)
	a := kitchen.ActorFrom(b.ctx)
	a.Site = site
	return b, kitchen.WithActor(b.ctx, a)
}

// At the kitchen's hours a check is due until somebody signs it, and while a place is left that nobody
// read; one that was missed is said, and is due no more when the next one begins.
func TestChecksAtTheirHours(t *testing.T) {
	b, ctx := checked(t)
	row := b.receive("cod")[0]
	due := func() (list []string) {
		t.Helper()
		all, err := b.DueBy(ctx, b.now.Add(24*time.Hour))
		b.must(err)
		for _, d := range all {
			if d.Check {
				list = append(list, d.Due.Format("02 15:04 ")+d.Do+": "+d.Why)
			}
		}
		return list
	}
	same := func(want ...string) {
		t.Helper()
		if got := due(); strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Errorf("at %s due\n%s\nwant\n%s", b.now.Format("15:04"), strings.Join(got, "\n"), strings.Join(want, "\n"))
		}
	}
	const opening, between, closing = "10 06:30 Opening check: temperatures, ice", "10 22:30 Check of the places: temperatures, ice, count",
		"11 01:00 Closing check: temperatures, ice, count"
	b.now = time.Date(2026, 4, 10, 6, 0, 0, 0, time.UTC)
	same(opening, between, closing)

	warm := 5.0
	check := kitchen.PlacesCheck{ID: kitchen.NewID(), Kind: kitchen.OpeningCheck, At: b.now,
		Lines: []kitchen.PlacesCheckLine{{PlaceID: b.dock, Celsius: &warm}, {PlaceID: b.walkIn}}}
	b.must(b.CheckPlaces(ctx, check))
	b.must(b.CheckPlaces(ctx, check)) // sent twice
	sheet, err := b.CheckSheet(ctx)
	b.must(err)
	if sheet.Done == nil || sheet.Kind != kitchen.OpeningCheck || sheet.Counts || len(sheet.Past) == 0 || sheet.Past[0].Done != nil ||
		sheet.Past[0].Kind != kitchen.ClosingCheck {
		t.Errorf("the sheet after the check: %+v", sheet)
	}
	for _, l := range sheet.Lines {
		if l.ID == b.dock && (!l.Asked || l.ByHand == nil || l.ByHand.Celsius != 5 || len(l.Lots) != 1 || l.Lots[0].LotID != row.LotID) {
			t.Errorf("the dock on the sheet: %+v", l)
		}
	}
	cold := 1.2
	asked := strings.TrimPrefix(due()[0], "10 06:30 Opening check: ")
	if !strings.HasPrefix(asked, "not read yet: ") || strings.Contains(asked, "Dock") {
		t.Errorf("after a check that left places out: %s", asked)
	}
	for _, l := range sheet.Lines {
		if l.Asked && l.ByHand == nil {
			b.must(b.LogPlaceTemperature(ctx, l.ID, kitchen.HandReading{Celsius: &cold, At: b.now}))
		}
	}
	same(between, closing)

	b.now = time.Date(2026, 4, 10, 22, 0, 0, 0, time.UTC)
	same(between, closing, "11 06:30 Opening check: temperatures, ice")
	b.now = time.Date(2026, 4, 10, 23, 45, 0, 0, time.UTC) // the next one has begun: this one was missed
	same(closing, "11 06:30 Opening check: temperatures, ice", "11 22:30 Check of the places: temperatures, ice, count")
	if sheet, err = b.CheckSheet(ctx); err != nil || !sheet.Counts || sheet.Past[0].Kind != kitchen.BetweenCheck || sheet.Past[0].Done != nil {
		t.Errorf("the one that was missed is not said: %+v %v", sheet.Past, err)
	}
}

// What is not found at a count leaves as not accounted for: in part, or all of a lot, even one that is
// held. What cannot be is said beside the lot, and then nothing of the check is kept.
func TestCountWhatIsHere(t *testing.T) {
	b, ctx := checked(t)
	rows := b.receive("cod", "mackerel")
	less, gone := rows[0], rows[1]
	b.must(b.Append(ctx, b.write(gone.LotID, lot.Held{Reason: "papers"})))
	sign := func(kg float64) error {
		celsius := 2.0
		return b.CheckPlaces(ctx, kitchen.PlacesCheck{ID: kitchen.NewID(), Kind: kitchen.ClosingCheck, At: b.now,
			Lines: []kitchen.PlacesCheckLine{{PlaceID: b.dock, Celsius: &celsius, AllHere: true}}, Lots: []kitchen.CountedLot{
				{Write: b.write(less.LotID, lot.NotFound{Count: 1, WeightKg: kg}), Field: "less"},
				{Write: b.write(gone.LotID, lot.NotFound{Count: int(gone.Count), WeightKg: gone.WeightKg}), Field: "gone"}}})
	}
	var bad invalid.Errors
	if err := sign(less.WeightKg + 1); !errors.As(err, &bad) || bad.On("less") == "" {
		t.Errorf("more is gone than there was: %v", err)
	}
	if checks, err := b.DB.PlacesChecks(ctx, store.PlacesChecksParams{SiteID: kitchen.ActorFrom(ctx).Site.ID}); err != nil || len(checks) != 0 {
		t.Errorf("%d checks are kept of what was refused: %v", len(checks), err)
	}
	b.must(sign(0.4))
	row, err := b.Row(ctx, less.LotID)
	b.must(err)
	if math.Abs(row.WeightKg-less.WeightKg+0.4) > 1e-9 || !row.IsOnHand() {
		t.Errorf("%.2f kg of %.2f are left, %s", row.WeightKg, less.WeightKg, row.Status)
	}
	if row, err = b.Row(ctx, gone.LotID); err != nil || row.Status != string(lot.WasNotFound) {
		t.Errorf("what is gone is %s: %v", row.Status, err)
	}
	card, err := b.Card(ctx, gone.LotID)
	b.must(err)
	last := card.Entries[len(card.Entries)-1]
	b.must(b.Append(ctx, b.write(gone.LotID, lot.Voided{EventID: last.ID, Reason: "it lay in the other drawer"})))
	if row, err = b.Row(ctx, gone.LotID); err != nil || !row.IsOnHand() || row.WeightKg != gone.WeightKg {
		t.Errorf("found again it is %s: %v", row.Status, err)
	}
}
