package kitchen_test

import (
	"context"
	"errors"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// box is a tote of ice of 72 litres in air of 20 °C: it melts 0.2716 kg an hour.
func (b *bench) box() int64 {
	b.t.Helper()
	b.must(b.AddPlace(b.ctx, kitchen.NewPlace{Name: "Deck box", Kind: "tote", OutsideC: 20,
		Box: &icing.Box{LengthMM: 600, WidthMM: 400, HeightMM: 300, WallMM: 30, WallWMK: 0.035}}))
	places, err := b.Places(b.ctx)
	b.must(err)
	return places[len(places)-1].ID
}

// land lands a catch now.
func (b *bench) land(species string) uuid.UUID {
	b.t.Helper()
	water, air := 12.0, 14.0
	id, err := b.LandCatch(b.ctx, kitchen.NewCatch{ID: kitchen.NewID(), SpeciesID: species, Count: 10, WeightKg: 20,
		PlaceID: b.dock, LandedAt: b.now,
		Caught: lot.Caught{Vessel: "Skiff Tern", FAO: 27, WaterC: &water, AirC: &air}})
	b.must(err)
	return id
}

func (b *bench) left(place int64) float64 {
	b.t.Helper()
	places, err := b.Places(b.ctx)
	b.must(err)
	for _, p := range places {
		if p.ID == place {
			return p.Ice.Left(b.now)
		}
	}
	b.t.Fatalf("no place %d", place)
	return 0
}

func TestACatchGoesOnIce(t *testing.T) {
	b := newBench(t)
	box := b.box()
	var bad invalid.Errors
	if _, err := b.LandCatch(b.ctx, kitchen.NewCatch{ID: kitchen.NewID(), SpeciesID: "cod", Count: 0, WeightKg: -1,
		LandedAt: b.now.Add(time.Hour)}); !errors.As(err, &bad) {
		t.Fatalf("an empty catch: %v", err)
	}
	for _, field := range []string{"vessel", "count", "weight_kg", "place_id", "landed_at"} {
		if bad.On(field) == "" {
			t.Errorf("no error on %s: %v", field, bad)
		}
	}
	catch := kitchen.NewCatch{ID: kitchen.NewID(), SpeciesID: "cod", Count: 10, WeightKg: 20, PlaceID: b.dock,
		LandedAt: b.now, Caught: lot.Caught{Vessel: "Skiff Tern"}}
	once, err := b.LandCatch(b.ctx, catch)
	b.must(err)
	if again, err := b.LandCatch(b.ctx, catch); err != nil || again != once {
		t.Errorf("landed twice: %v and %v, %v", once, again, err)
	}

	id := b.land("cod")
	if rows, err := b.Catches(b.ctx, b.now.Add(-time.Hour)); err != nil || len(rows) != 2 {
		t.Errorf("%d catches, %v", len(rows), err)
	}
	b.now = b.now.Add(30 * time.Minute)
	ten := 10.0
	iced := b.write(id, lot.Iced{Method: "boxed", PlaceID: box, IceKg: &ten})
	killed := b.write(id, lot.Killed{Method: "stun"})
	b.now = b.now.Add(time.Second)
	b.must(b.AppendAll(b.ctx, killed, iced))
	// 20 kg of cod at the air's 14 °C melt 20·(H(14) − H(0))/334 kg.
	cod, _ := species.Builtin().Get("cod")
	warm, err := icing.ToCool(cod, 20, 14)
	b.must(err)
	if got := b.left(box); math.Abs(got-(10-warm)) > 1e-3 {
		t.Errorf("%.3f kg left, want 10 less the %.3f that the warm fish melts", got, warm)
	}
	if row, err := b.Row(b.ctx, id); err != nil || row.PlaceID != box || row.NowKind != "in_ice" || row.NowC != 0 {
		t.Errorf("place %d, %v °C, %s, %v", row.PlaceID, row.NowC, row.NowKind, err)
	}
	b.now = b.now.Add(3 * time.Hour)
	if got := b.left(box); math.Abs(got-(10-warm-3*0.27090)) > 1e-3 {
		t.Errorf("%.3f kg left after 3 h", got)
	}
	// The box wants ice when a quarter is left; what is put in begins anew, once.
	due, err := b.DueBy(b.ctx, b.now.AddDate(0, 0, 3))
	b.must(err)
	found := false
	for _, d := range due {
		found = found || d.Do == "Top up ice" && d.PlaceID == box
	}
	if !found {
		t.Errorf("no top-up due: %+v", due)
	}
	more := kitchen.NewIce{ID: kitchen.NewID(), PlaceID: box, At: b.now, Kind: icing.Added, Kg: 4}
	b.must(b.LogIce(b.ctx, more))
	b.must(b.LogIce(b.ctx, more))
	if got := b.left(box); math.Abs(got-(14-warm-3*0.27090)) > 1e-3 {
		t.Errorf("%.3f kg left after the top-up", got)
	}
	// Where the icing is voided, its ice goes with it.
	b.must(b.Append(b.ctx, b.write(id, lot.Voided{EventID: iced.EventID, Reason: "the wrong box"})))
	if got := b.left(box); math.Abs(got-4) > 1e-6 {
		t.Errorf("%.3f kg left after the void, want the 4 of the top-up", got)
	}

	for what, n := range map[string]kitchen.NewIce{
		"nothing":    {ID: kitchen.NewID(), PlaceID: box, At: b.now, Kind: icing.Added},
		"the future": {ID: kitchen.NewID(), PlaceID: box, At: b.now.Add(time.Hour), Kind: icing.Added, Kg: 1},
		"no box":     {ID: kitchen.NewID(), PlaceID: b.walkIn, At: b.now, Kind: icing.Found, Kg: 1},
		"NaN":        {ID: kitchen.NewID(), PlaceID: box, At: b.now, Kind: icing.Found, Kg: math.NaN()},
	} {
		if err := b.LogIce(b.ctx, n); !errors.As(err, &bad) {
			t.Errorf("ice, %s: %v", what, err)
		}
	}
	if err := b.LogIce(context.Background(), more); !errors.Is(err, kitchen.ErrNoActor) {
		t.Errorf("nobody on shift: %v", err)
	}
	if err := b.SetBox(b.ctx, box, icing.Box{LengthMM: 600, WidthMM: 400, HeightMM: 300, WallMM: 0, WallWMK: 0.035},
		20); !errors.As(err, &bad) || bad.On("wall") == "" {
		t.Errorf("a box without walls: %v", err)
	}
}

// Several events are written all or none.
func TestAppendAllIsOne(t *testing.T) {
	b := newBench(t)
	id := b.land("cod")
	b.now = b.now.Add(time.Hour)
	var bad invalid.Errors
	if err := b.AppendAll(b.ctx, b.write(id, lot.Killed{Method: "stun"}),
		b.write(id, lot.Bled{How: "wish"})); !errors.As(err, &bad) || bad.On("how") == "" {
		t.Fatalf("a wrong second event: %v", err)
	}
	card, err := b.Card(b.ctx, id)
	b.must(err)
	if len(card.Entries) != 2 {
		t.Errorf("%d events, want the receipt and the landing", len(card.Entries))
	}
	killed := b.write(id, lot.Killed{Method: "stun"})
	killed.Seen = card.State.Seq
	b.must(b.AppendAll(b.ctx, killed, b.write(id, lot.Gutted{Gilled: true})))
	b.must(b.AppendAll(b.ctx, killed, b.write(id, lot.Gutted{Gilled: true}))) // the form sent again
	late := b.write(id, lot.Bled{How: "gills"})
	late.Seen = card.State.Seq
	var changed *kitchen.Changed
	if err := b.AppendAll(b.ctx, late); !errors.As(err, &changed) || len(changed.Events) != 2 {
		t.Errorf("overtaken: %v", err)
	}
	if n, err := b.CheckChains(b.ctx, kitchen.ActorFrom(b.ctx).Site); err != nil || n != 1 {
		t.Errorf("%d chains, %v", n, err)
	}
}

// A former whose clock holds it cannot be used; only a manager ends that, and
// what ends it is on record.
func TestTheHistamineClockHolds(t *testing.T) {
	b := newBench(t)
	id := b.receive("mackerel")[0].LotID
	row, err := b.Row(b.ctx, id)
	b.must(err)
	if row.Histamine != "unknown" || !row.OnHold() || row.Hold != "" {
		t.Errorf("without a record: %+v", row.LotBoard)
	}
	refused := func(what string, err error, field, words string) {
		t.Helper()
		var bad invalid.Errors
		if !errors.As(err, &bad) || !strings.Contains(bad.On(field), words) {
			t.Errorf("%s: %v, want %q on %s", what, err, words, field)
		}
	}
	account := lot.GapExplained{Until: b.now, Explanation: "the skipper's sheet: iced within the hour", Approval: lot.Approval{ByManager: true}}
	refused("served", b.Append(b.ctx, b.write(id, lot.Left{EndUse: lot.UsedCooked})), "lot", "a manager's explanation")
	refused("served by the manager", b.Append(b.manager, b.write(id, lot.Left{EndUse: lot.UsedCooked})), "lot", "a manager's explanation")
	refused("the buyer's account", b.Append(b.ctx, b.write(id, account)), "lot", "needs a manager")
	b.must(b.Append(b.manager, b.write(id, account)))
	if row, err = b.Row(b.ctx, id); err != nil || row.Histamine != "ok" || row.OnHold() {
		t.Errorf("accounted for: %+v, %v", row.LotBoard, err)
	}
	// Ten hours at 9 °C in the walk-in: recorded, so no account helps.
	b.probe("walk-in-1", b.walkIn)
	b.must(b.Append(b.ctx, b.write(id, lot.Moved{PlaceID: b.walkIn})))
	start := b.now
	b.now = b.now.Add(10 * time.Hour)
	_, err = b.PutMeasurements(b.ctx, b.measurements(start, 10*60+1, 9))
	b.must(err)
	b.must(b.RefreshStale(b.ctx))
	if row, err = b.Row(b.ctx, id); err != nil || row.Histamine != "stop" || row.HistamineShare < 1.2 {
		t.Errorf("ten hours at 9 °C: %+v, %v", row.LotBoard, err)
	}
	account.Until = b.now
	b.must(b.Append(b.manager, b.write(id, account)))
	refused("served on an account", b.Append(b.manager, b.write(id, lot.Left{EndUse: lot.UsedCooked})), "lot",
		"histamine clock: limit passed")
	plan, _ := safety.GetPlan("eu2073")
	b.must(b.Append(b.manager, b.write(id,
		lot.Tested{Plan: plan, Results: []float64{2, 3, 2, 4, 2, 3, 2, 5, 2}, Lab: "Harbour laboratory, 12"})))
	refused("served on a test", b.Append(b.manager, b.write(id, lot.Left{EndUse: lot.UsedCooked})), "lot",
		"out of the cold") // the test answers for histamine alone
	b.must(b.Append(b.ctx, b.write(id, lot.Discarded{Reason: "ten hours warm"})))
	before, err := b.Row(b.ctx, id)
	b.must(err)
	b.must(b.Rebuild(b.ctx, kitchen.ActorFrom(b.ctx).Site))
	if after, err := b.Row(b.ctx, id); err != nil || after.Histamine != before.Histamine ||
		after.HistamineShare != before.HistamineShare || after.Histamine != "warn" {
		t.Errorf("rebuilt %s %.2f, was %s %.2f, %v", after.Histamine, after.HistamineShare, before.Histamine,
			before.HistamineShare, err)
	}
}
