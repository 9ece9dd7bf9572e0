package demo

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
	"leancatch/internal/kitchen"
)

// frozenBatch is lots that went into the freezer together, by their suppliers'
// numbers.
type frozenBatch struct {
	hoursAgo float64
	by       string
	lots     []string
	mm       float64
	startC   float64
	wrapping string
	preps    []string
	cores    []coreReading
}

// coreReading is a core measured some hours after the batch went in.
type coreReading struct{ hours, celsius float64 }

var frozenBatches = []frozenBatch{
	{hoursAgo: 13.6 * 24, by: "Cato", lots: []string{"99-1"}, mm: 34, startC: 0.9, wrapping: "bare",
		preps: []string{"bled", "bloodline", "dried", "flat", "labelled"},
		cores: []coreReading{{1.2, -1.5}, {6, -20.5}, {26, -23.4}}},
	{hoursAgo: 84, by: "Cato", lots: []string{"118-b", "118-c"}, mm: 18, startC: 1.2, wrapping: "bare",
		preps: []string{"bled", "bloodline", "dried", "flat", "labelled"},
		cores: []coreReading{{0.75, -1.4}, {4, -21}, {26, -23.6}}},
	{hoursAgo: 1.6, by: "Dunja", lots: []string{"4502/8"}, mm: 22, startC: 1, wrapping: "film",
		preps: []string{"dried", "flat", "labelled"}, cores: []coreReading{{0.6, -1}, {1.2, -1.4}}},
}

// freezer plays the freezer: a batch half-way through its parasite clock, one that
// freezes now, a letter on file, and the thaw for the next evening.
func (w *builder) freezer(ctx context.Context) error {
	for _, b := range frozenBatches {
		if err := w.freeze(ctx, b); err != nil {
			return fmt.Errorf("freezing %s: %w", b.lots[0], err)
		}
	}
	if err := w.thawLoin(ctx); err != nil {
		return fmt.Errorf("thawing the loin: %w", err)
	}
	w.k.Now = func() time.Time { return w.start }
	if err := w.k.Rebuild(ctx, w.site); err != nil { // the plan picks by what the clocks say
		return err
	}
	return w.thaw(ctx)
}

func (w *builder) freeze(ctx context.Context, b frozenBatch) error {
	ctx = w.as(ctx, b.by)
	at := w.start.Add(-hours(b.hoursAgo))
	w.k.Now = func() time.Time { return at }
	batch := kitchen.FreezeBatch{Events: map[uuid.UUID]uuid.UUID{}, At: at,
		Froze: lot.Froze{BatchID: kitchen.NewID(), PlaceID: w.places["Freezer"], Method: "fan",
			Wrapping: b.wrapping, Preps: b.preps, Shape: heat.Slab, MM: b.mm, StartC: b.startC, AirC: -24}}
	for _, theirs := range b.lots {
		batch.Events[w.lots[theirs]] = kitchen.NewID()
	}
	if err := w.k.Freeze(ctx, batch); err != nil {
		return err
	}
	for _, c := range b.cores {
		measured := at.Add(hours(c.hours))
		w.k.Now = func() time.Time { return measured }
		if err := w.k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: w.lots[b.lots[0]],
			HappenedAt: measured, Payload: lot.Temperature{Celsius: c.celsius}}); err != nil {
			return err
		}
	}
	return nil
}

// papers say that Dunlin and Fulmar are dealers, and put Dunlin's letters on file: for farmed fish, and
// for salmon that it froze.
func (w *builder) papers(ctx context.Context, manager string) error {
	suppliers, err := w.k.DB.Suppliers(ctx, w.site.ID)
	if err != nil {
		return err
	}
	approvals := map[string]string{dunlin: "D 118", fulmar: "D 204"}
	ctx, issued := w.as(ctx, manager), w.midnight.AddDate(0, -2, 0)
	to := issued.AddDate(1, 0, 0)
	for _, s := range suppliers {
		if approvals[s.Name] == "" {
			continue
		}
		w.k.Now = func() time.Time { return w.start.Add(-History) }
		if err := w.k.SetSupplierKind(ctx, kitchen.SupplierKind{ID: s.ID, Kind: kitchen.Dealer, Approval: approvals[s.Name], ApprovedTo: &to}); err != nil {
			return err
		}
		if s.Name != dunlin {
			continue
		}
		letter := kitchen.NewDeclaration{SupplierID: s.ID, Kind: assess.DeclaredFarmed, IssuedOn: issued, ValidTo: to}
		for i, id := range farmed {
			letter.ID, letter.SpeciesID = kitchen.NewID(), id
			letter.Reference = fmt.Sprintf("D-%d, signed for the farm by its keeper", 77+i)
			if err := w.k.AddDeclaration(ctx, letter); err != nil {
				return err
			}
		}
		letter.ID, letter.SpeciesID, letter.Kind, letter.Reference = kitchen.NewID(), "salmon", assess.DeclaredFrozen, "D-91, signed at the cold store"
		letter.SupplierLot, letter.RouteC, letter.RouteHours = "4481/9", -20, 168
		if err := w.k.AddDeclaration(ctx, letter); err != nil {
			return err
		}
	}
	return nil
}

// thawLoin plays the halibut that was frozen here for its parasites, thawed over night and found
// free of ice.
func (w *builder) thawLoin(ctx context.Context) error {
	ctx = w.as(ctx, "Dunja")
	write := func(hoursAgo float64, p lot.Payload) error {
		at := w.start.Add(-hours(hoursAgo))
		w.k.Now = func() time.Time { return at }
		return w.k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: w.lots["99-1"], HappenedAt: at, Payload: p})
	}
	if err := write(12.5, lot.Pulled{PlaceID: w.places["Thaw shelf"], Method: thawing.Fridge, EndUse: thawing.Raw, MediumC: 1,
		Shape: heat.Slab, MM: 34}); err != nil {
		return err
	}
	return write(0.5, lot.Thawed{CoreC: 0.4, DripKg: 0.05})
}

// thaw plans the hake of the first service, a day and a half before it, and does what was due before
// now.
func (w *builder) thaw(ctx context.Context) error {
	ctx = w.as(ctx, "Ansa")
	serve := w.first
	planned := serve.Add(-34 * time.Hour)
	w.k.Now = func() time.Time { return planned }
	id := kitchen.NewID()
	err := w.k.SaveThaw(ctx, id, kitchen.ThawOrder{ServeAt: serve, SpeciesID: "hake", Form: "fillet_skin_on",
		Portions: 24, PortionKg: 0.17, EndUse: thawing.Cook})
	if err != nil {
		return err
	}
	plan, err := w.k.Thaw(ctx, id)
	if err != nil {
		return err
	}
	for _, l := range plan.Lines {
		for _, s := range l.Steps {
			if s.Core || s.Step == "exit" || s.At.After(w.start) {
				continue
			}
			at := s.At
			w.k.Now = func() time.Time { return at }
			if err := w.k.CompleteThawStep(ctx,
				kitchen.ThawStepDone{PlanID: id, N: l.N, Seq: s.Seq, EventID: kitchen.NewID(), At: at}); err != nil {
				return err
			}
		}
	}
	return nil
}
