package demo

import (
	"context"
	"fmt"
	"math"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// cutters are the three who cut, with what they get of a gutted haddock, skin on.
var cutters = []struct {
	name  string
	yield float64
}{{"Dunja", 0.474}, {"Cato", 0.437}, {"Ansa", 0.456}}

// A week at the bench: on each of some mornings ten haddock come and are filleted in pairs.
const (
	cuttingDays = 5
	pairs       = 5
)

// bench plays a week of cutting: what was filleted in the morning was cooked the next evening, but for a little that
// was lost.
func (w *builder) bench(ctx context.Context) error {
	n := 0
	for day := range cuttingDays {
		d := delivery{daysAgo: cuttingDays + 2 - day, hour: 6.6, by: "Bertil", supplier: dunlin, reference: fmt.Sprintf("%d", 4483+3*day),
			fish: []fish{{species: "haddock", form: "gutted", count: 2 * pairs, kg: 14.5 + 0.3*float64(day%3), core: 0.9, claimedDays: 1.5,
				theirs: fmt.Sprintf("%d/h", 4483+3*day), readDays: 2, sampled: 3, place: "Walk-in", cents: 720}}}
		if err := w.deliver(ctx, d); err != nil {
			return err
		}
		at := w.midnight.AddDate(0, 0, -d.daysAgo).Add(10 * time.Hour)
		in := math.Round(1000*d.fish[0].kg/pairs) / 1000
		for range pairs {
			if err := w.filletPair(ctx, d.fish[0].theirs, at, in, n); err != nil {
				return fmt.Errorf("cut %d: %w", n, err)
			}
			at, n = at.Add(12*time.Minute), n+1
		}
	}
	return nil
}

// filletPair cuts two haddock of a lot, and plays what became of the fillets.
func (w *builder) filletPair(ctx context.Context, theirs string, at time.Time, in float64, n int) error {
	cutter := cutters[n%len(cutters)]
	share := cutter.yield + 0.012*math.Sin(1.7*float64(n)) // no two fish are alike
	grams := func(of float64) float64 { return math.Round(1000*of*in) / 1000 }
	cut := lot.Cut{Count: 2, WeightKg: in, CutterID: w.people[cutter.name].ID, Minutes: 7 + float64(n%3), Parts: []lot.CutPart{
		{Form: "fillet_skin_on", Count: 4, WeightKg: grams(share), To: cutting.ToService, PlaceID: w.places["Fish drawer"], Boneless: true},
		{Form: "frame", Count: 2, WeightKg: grams(0.93 - share - 0.12), To: cutting.ToStock},
		{Form: cutting.Waste, WeightKg: grams(0.12 + 0.055), To: cutting.ToBin}}}
	if n%4 == 0 {
		cut.Whiteness, cut.Frame = "white", "clear"
	}
	id, event := w.lots[theirs], kitchen.NewID()
	write := func(ctx context.Context, lotID [16]byte, at time.Time, event [16]byte, p lot.Payload) error {
		w.k.Now = func() time.Time { return at }
		return w.k.Append(ctx, kitchen.Write{EventID: event, LotID: lotID, HappenedAt: at, Payload: p})
	}
	if err := write(w.as(ctx, cutter.name), id, at, event, cut); err != nil {
		return err
	}
	card, err := w.k.Card(w.as(ctx, cutter.name), id)
	if err != nil {
		return err
	}
	made, _ := card.State.CutBy(event)
	fillets, evening := made.Parts[0].LotID, at.Add(33*time.Hour)
	if n%7 == 3 {
		if err := write(w.as(ctx, cutter.name), fillets, evening.Add(-time.Hour), kitchen.NewID(),
			lot.Taken{EndUse: lot.UsedWaste, Count: 1, Reason: lot.WasteDropped,
				WeightKg: math.Round(250*made.Parts[0].WeightKg) / 1000}); err != nil {
			return err
		}
	}
	return write(w.as(ctx, "Cato"), fillets, evening, kitchen.NewID(), lot.Taken{EndUse: lot.UsedCooked, All: true})
}

// pie is the hours of a pie: two pollack came the day before, were cut, and went under a crust; of their frames a
// stock was made, which cooled in time, and some steaks were par-cooked for tonight.
func (w *builder) pie(ctx context.Context) error {
	d := delivery{minutesAgo: 22 * 60, by: "Bertil", supplier: dunlin, reference: "4530", fish: []fish{{species: "pollack", form: "gutted", count: 2,
		kg: 5.2, core: 0.8, claimedDays: 1.5, theirs: "4530/1", readDays: 2, sampled: 2, place: "Walk-in", cents: 690}}}
	if err := w.deliver(ctx, d); err != nil {
		return err
	}
	ctx = w.as(ctx, "Ansa")
	w.k.Now = func() time.Time { return w.start.Add(-21 * time.Hour) }
	err := w.k.SignParCook(ctx, true)
	if err == nil {
		w.site, err = w.k.SiteBySlug(ctx, w.site.Slug)
	}
	if err != nil {
		return err
	}
	ctx = w.as(ctx, "Ansa")
	write := func(minutes int, id uuid.UUID, p lot.Payload) uuid.UUID {
		at, event := w.start.Add(-time.Duration(minutes)*time.Minute), kitchen.NewID()
		if err == nil {
			w.k.Now = func() time.Time { return at }
			err = w.k.Append(ctx, kitchen.Write{EventID: event, LotID: id, HappenedAt: at, Payload: p})
		}
		return event
	}
	drawer, half, id := w.places["Fish drawer"], 51.0, w.lots["4530/1"]
	event := write(8*60, id, lot.Cut{Count: 2, WeightKg: 5.2, CutterID: w.people["Dunja"].ID, Minutes: 11, Parts: []lot.CutPart{
		{Form: "fillet_skinless", Count: 3, WeightKg: 1.74, To: cutting.ToPrepared, PlaceID: drawer, Boneless: true},
		{Form: "steak", Count: 4, WeightKg: 0.64, To: cutting.ToPrepared, PlaceID: drawer},
		{Form: "frame", Count: 2, WeightKg: 1.48, To: cutting.ToPrepared, PlaceID: drawer},
		{Form: cutting.Waste, WeightKg: 1.3, To: cutting.ToBin}}})
	if err != nil {
		return err
	}
	card, err := w.k.Card(ctx, id)
	if err != nil {
		return err
	}
	made, _ := card.State.CutBy(event)
	fillets, steaks, frames := made.Parts[0].LotID, made.Parts[1].LotID, made.Parts[2].LotID
	write(7*60+20, fillets, lot.Prepared{Method: "assembled", With: "leeks in cream, puff pastry", Allergens: []string{"milk", "gluten"}})
	write(7*60+10, frames, lot.Stocked{CoreC: 96, WeightKg: 3.2, With: "leeks, celery, bay", Allergens: []string{"celery"}})
	write(5*60+40, frames, lot.Temperature{Celsius: 18})
	write(3*60+30, frames, lot.Temperature{Celsius: 3.5})
	write(6*60, steaks, lot.ParCooked{CoreC: half, Minutes: 8})
	write(4*60+30, steaks, lot.Temperature{Celsius: 16})
	write(2*60+30, steaks, lot.Temperature{Celsius: 3})
	return err
}
