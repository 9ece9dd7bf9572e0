package kitchen_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// bench is a kitchen with a dock and a walk-in, a clock that tests turn, and a
// crew of a manager and a buyer.
type bench struct {
	*kitchen.Kitchen
	t       *testing.T
	now     time.Time
	ctx     context.Context // the buyer's
	manager context.Context
	dock    int64
	walkIn  int64
}

func newBench(t *testing.T) *bench {
	t.Helper()
	t.Parallel()
	b := &bench{t: t, now: time.Date(2026, 4, 10, 6, 0, 0, 0, time.UTC)}
	b.Kitchen = kitchen.New(storetest.New(t), slog.New(slog.DiscardHandler))
	b.Now = func() time.Time { return b.now }
	ctx := context.Background()
	site, err := b.AddSite(ctx, kitchen.Setup{Name: "Test kitchen", TimeZone: "UTC", Profile: "house-strict",
		People: []kitchen.NewPerson{{Name: "Mara", Role: "manager"}, {Name: "Bo", Role: "buyer"}},
		Places: []kitchen.NewPlace{{Name: "Dock", Kind: "dock", SetC: 4},
			{Name: "Walk-in", Kind: "walk_in", SetC: 1, Contact: true}}})
	b.must(err)
	ctx = store.WithSite(ctx, site.ID)
	people, err := b.DB.People(ctx, site.ID)
	b.must(err)
	places, err := b.DB.Places(ctx, site.ID)
	b.must(err)
	b.manager = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[0])})
	b.ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[1])})
	b.dock, b.walkIn = places[0].ID, places[1].ID
	return b
}

func (b *bench) must(err error) {
	b.t.Helper()
	if err != nil {
		b.t.Fatal(err)
	}
}

// probe adds a probe that measures a place.
func (b *bench) probe(name string, place int64) store.Probe {
	b.t.Helper()
	p, err := b.AddProbe(b.ctx, kitchen.NewProbe{Name: name, Kind: kitchen.Fixed, PlaceID: place})
	b.must(err)
	return store.Probe{SiteID: p.SiteID, ID: p.ID, Name: p.Name, IntervalS: p.IntervalS, Kind: p.Kind}
}

func (b *bench) line(species string) lot.Received {
	core, caught := 0.8, b.now.Add(-36*time.Hour)
	return lot.Received{SpeciesID: species, Form: "whole", Count: 2, WeightKg: 6.4, CoreC: &core, Ice: "well_iced",
		LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierLot: "F-17", PlaceID: b.dock}
}

func (b *bench) lines(species ...string) []lot.Received {
	list := make([]lot.Received, len(species))
	for i, s := range species {
		list[i] = b.line(s)
	}
	return list
}

// receive takes one lot of each species in and returns them in that order.
func (b *bench) receive(species ...string) []kitchen.Row {
	b.t.Helper()
	return b.receiveLines(b.lines(species...)...)
}

// receiveLines takes in a delivery of some lines.
func (b *bench) receiveLines(lines ...lot.Received) []kitchen.Row {
	b.t.Helper()
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now, Lines: lines}
	b.must(b.Receive(b.ctx, d))
	docket, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	return docket.Rows
}

func (b *bench) write(id uuid.UUID, p lot.Payload) kitchen.Write {
	return kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: b.now, Payload: p}
}

func TestAResentDeliveryIsOneDelivery(t *testing.T) {
	b := newBench(t)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now,
		Lines: []lot.Received{b.line("cod"), b.line("mackerel")}}
	b.must(b.Receive(b.ctx, d))
	b.must(b.Receive(b.ctx, d))
	rows, err := b.Find(b.ctx, "", true)
	b.must(err)
	if len(rows) != 2 || rows[0].Code == rows[1].Code {
		t.Errorf("%d lots on hand, want 2 of different codes", len(rows))
	}
}

func TestABadLineStoresNothingAndNamesItsField(t *testing.T) {
	b := newBench(t)
	bad := b.line("cod")
	bad.WeightKg = -3
	late := b.now.Add(time.Hour)
	bad.LabelDate.At = &late
	err := b.Receive(b.ctx, kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now,
		Lines: []lot.Received{b.line("cod"), bad}})
	var fields invalid.Errors
	if !errors.As(err, &fields) || fields.On("lines[1].weight_kg") == "" || fields.On("lines[1].claim.at") == "" {
		t.Errorf("got %v, want errors on weight and claim of line 1", err)
	}
	if rows, _ := b.Find(b.ctx, "", false); len(rows) != 0 {
		t.Errorf("%d lots were stored", len(rows))
	}
}

func TestTwoPeopleOnOneLot(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	first := b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})
	first.Seen = 1
	b.must(b.Append(b.ctx, first))
	b.must(b.Append(b.ctx, first)) // resent: the same event

	second := b.write(row.LotID, lot.Discarded{Reason: "looked lost on the dock"})
	second.Seen = 1
	err := b.Append(b.manager, second)
	var changed *kitchen.Changed
	if !errors.As(err, &changed) || changed.Seq != 2 || len(changed.Events) != 1 || changed.Events[0].Person != "Bo" {
		t.Fatalf("got %v, want the first person's event", err)
	}
	second.Seen = changed.Seq
	b.must(b.Append(b.manager, second))
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	if card.State.Status != lot.WasDiscarded || len(card.Entries) != 3 {
		t.Errorf("status %q with %d events, want discarded with 3", card.State.Status, len(card.Entries))
	}
	if err := b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.dock})); err == nil {
		t.Error("a lot that is gone was moved")
	}
	if err := b.Append(b.ctx, b.write(kitchen.NewID(), lot.Moved{PlaceID: b.dock})); !errors.Is(err,
		kitchen.ErrNotFound) {
		t.Errorf("a lot that never was: %v", err)
	}
}

// Many writers at once leave one unbroken chain.
func TestConcurrentWritersLeaveOneChain(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	var wait sync.WaitGroup
	for i := range 20 {
		wait.Go(func() {
			if err := b.Append(b.ctx, b.write(row.LotID, lot.Temperature{Celsius: float64(i) / 10})); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	n, err := b.CheckChains(b.ctx, kitchen.ActorFrom(b.ctx).Site)
	card, cardErr := b.Card(b.ctx, row.LotID)
	if err != nil || cardErr != nil || n != 1 || card.State.Seq != 21 {
		t.Errorf("%d chains, seq %d: %v, %v", n, card.State.Seq, err, cardErr)
	}
}

func TestInspectionFollowsTheRulesAndAsksForReasons(t *testing.T) {
	b := newBench(t)
	warm := b.line("cod")
	core := 9.0
	warm.CoreC = &core
	b.must(b.Receive(b.ctx, kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Skua Day-boat", ArrivedAt: b.now,
		Lines: []lot.Received{warm}}))
	rows, _ := b.Find(b.ctx, "", true)
	fresh := []freshness.Fish{{Signs: freshness.Signs{"skin": 0, "stiffness": 0, "smell": 0, "belly": 0,
		"eye_shape": 0, "eye_clarity": 0}}}
	in := kitchen.Inspection{EventID: kitchen.NewID(), LotID: rows[0].LotID, Seen: 1, At: b.now, Fish: fresh,
		Decision: freshness.Accept, Reason: "iced again at once"}
	var fields invalid.Errors
	if err := b.Inspect(b.ctx, in); !errors.As(err, &fields) || fields.On("decision") == "" {
		t.Errorf("a buyer overrode a hard stop: %v", err)
	}
	in.Reason = ""
	if err := b.Inspect(b.manager, in); !errors.As(err, &fields) || fields.On("reason") == "" {
		t.Errorf("a manager overrode a hard stop without a reason: %v", err)
	}
	in.Reason = "iced again at once"
	b.must(b.Inspect(b.manager, in))
	card, err := b.Card(b.ctx, rows[0].LotID)
	b.must(err)
	inspection, _ := card.State.Inspection()
	if card.State.Status != lot.OnHand || !inspection.Overrides() || inspection.Proposed.Decision != freshness.Refuse {
		t.Errorf("status %q, inspection %+v", card.State.Status, inspection)
	}
}

// byHand is a reading of a place by a person.
func (b *bench) byHand(celsius float64) kitchen.HandReading {
	return kitchen.HandReading{Celsius: &celsius, At: b.now}
}

// measurements are readings of the walk-in's probe at a temperature, by minute.
func (b *bench) measurements(from time.Time, minutes int, celsius float64) []intake.Measurement {
	var list []intake.Measurement
	for i := range minutes {
		list = append(list, intake.Measurement{Name: "walk-in-1", Unit: "Cel", Value: celsius,
			At: from.Add(time.Duration(i) * time.Minute)})
	}
	return list
}

func TestReadingsChangeTheBoardAndRebuildingChangesNothing(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod", "salmon")
	b.probe("walk-in-1", b.walkIn)
	for _, r := range rows {
		b.must(b.Append(b.ctx, b.write(r.LotID, lot.Moved{PlaceID: b.walkIn})))
	}
	start := b.now
	b.now = b.now.Add(24 * time.Hour)
	b.must(b.RefreshStale(b.ctx))
	got, err := b.PutMeasurements(b.ctx, append(b.measurements(start, 24*60, 6),
		intake.Measurement{Name: "nobody", Unit: "Cel", At: start},
		intake.Measurement{Name: "walk-in-1", Unit: "V", At: start}))
	b.must(err)
	if got.Stored != 1440 || got.Duplicate != 0 || len(got.Refused) != 2 {
		t.Fatalf("intake %+v", got)
	}
	again, err := b.PutMeasurements(b.ctx, b.measurements(start, 24*60, 6))
	b.must(err)
	if again.Stored != 0 || again.Duplicate != 1440 {
		t.Errorf("sent twice: %+v", again)
	}
	b.must(b.RefreshStale(b.ctx))

	board, err := b.Board(b.ctx)
	b.must(err)
	shelves := board.ByPlace()
	if len(shelves) != 1 || shelves[0].Place.ID != b.walkIn || shelves[0].Rows[0].Species.ID != "cod" {
		t.Fatalf("board %+v, want the walk-in with the cod on top", shelves)
	}
	cod := shelves[0].Rows[0]
	want := 1.5*1.44 + 2.56 // on the way at 2 °C, a day at 6 °C
	if math.Abs(cod.UsedDays-want) > 0.01 {
		t.Errorf("cod used %.3f ice days, want %.3f", cod.UsedDays, want)
	}

	before, err := b.DB.BoardOnHand(b.ctx, kitchen.ActorFrom(b.ctx).Site.ID)
	b.must(err)
	b.must(b.Rebuild(b.ctx, kitchen.ActorFrom(b.ctx).Site))
	after, err := b.DB.BoardOnHand(b.ctx, kitchen.ActorFrom(b.ctx).Site.ID)
	b.must(err)
	for i := range before {
		if before[i].Written >= after[i].Written {
			t.Errorf("%s was not written anew", after[i].Code)
		}
	}
	if len(before) != 2 || !storetest.SameBoard(before, after) {
		t.Errorf("rebuilt projection differs:\n%+v\n%+v", before, after)
	}
	card, err := b.Card(b.ctx, cod.LotID)
	b.must(err)
	if math.Abs(card.Assessment.Used.Days-cod.UsedDays) > 1e-9 {
		t.Errorf("card %.6f and board %.6f disagree", card.Assessment.Used.Days, cod.UsedDays)
	}
}

func TestImportOfALoggerFile(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	start := b.now
	b.now = b.now.Add(6 * time.Hour)
	var file strings.Builder
	file.WriteString("time;reading\n")
	for i := range 60 {
		fmt.Fprintf(&file, "%s;3,5\n", start.Add(time.Duration(i)*5*time.Minute).Format("2006-01-02 15:04"))
	}
	file.WriteString("2026-04-10 11:00;broken\n")

	id, err := b.KeepFile(b.ctx, "walk-in.csv", strings.NewReader(file.String()))
	b.must(err)
	p, err := b.PreviewImport(b.ctx, id, kitchen.Choices{})
	b.must(err)
	if p.Survey != nil || len(p.Layout.Unclear()) != 1 {
		t.Fatalf("the unit must be asked for: %+v", p)
	}
	choices := kitchen.Choices{Unit: unit.CelsiusScale}
	for _, want := range []int64{60, 0} {
		got, err := b.StoreImport(b.ctx, id, choices, kitchen.Target{PlaceID: b.walkIn})
		b.must(err)
		if got.Stored != want || got.Duplicate != 60-want || got.Bad != 1 || got.BadRows[0].Line != 62 {
			t.Errorf("import: %+v, want %d stored and line 62 bad", got, want)
		}
		id, err = b.KeepFile(b.ctx, "walk-in.csv", strings.NewReader(file.String()))
		b.must(err)
	}
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	// from the first to the last one
	if h := card.Assessment.Hours[coldchain.Logged]; math.Abs(h-4.917) > 0.01 {
		t.Errorf("%.3f hours logged, want 4.917", h)
	}

	id, err = b.KeepFile(b.ctx, "letter.txt", strings.NewReader("Dear Sirs,\nthe fish was cold.\n"))
	b.must(err)
	var fields invalid.Errors
	if _, err := b.PreviewImport(b.ctx, id, kitchen.Choices{}); !errors.As(err, &fields) || fields.On("file") == "" {
		t.Errorf("a letter: %v, want an error on the file", err)
	}
}

func TestALoggerThatTravelledCountsUpToTheReceipt(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	var file strings.Builder
	file.WriteString("time,celsius\n")
	for i := range 48 * 4 {
		fmt.Fprintf(&file, "%s,0\n", b.now.Add(time.Duration(i-190)*15*time.Minute).Format(time.RFC3339))
	}
	open := func() io.Reader { return strings.NewReader(file.String()) }
	b.now = b.now.Add(time.Hour)
	_, err := b.ImportFile(b.ctx, open, kitchen.Choices{}, kitchen.Target{LotID: row.LotID})
	b.must(err)
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	if got := card.Assessment.Hours[coldchain.Logged]; math.Abs(got-36) > 1e-6 {
		t.Errorf("%.2f hours logged, want the 36 on the way", got)
	}
}

func TestLateReadingsMakeOnlyTheLotsThatDrewOnThemStale(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod", "haddock")
	b.probe("walk-in-1", b.walkIn)
	b.must(b.Append(b.ctx, b.write(rows[0].LotID, lot.Moved{PlaceID: b.walkIn})))
	start := b.now
	b.now = b.now.Add(3 * time.Hour)
	_, err := b.PutMeasurements(b.ctx, b.measurements(start, 60, 3))
	b.must(err)
	var stale []store.StaleLot
	b.must(b.DB.Write(b.ctx, func(tx *store.Tx) (err error) { stale, err = tx.TakeStale(b.ctx, 10); return err }))
	if len(stale) != 1 || stale[0].LotID != rows[0].LotID {
		t.Errorf("stale: %v, want only the cod in the walk-in", stale)
	}
}

func TestTokensActAsTheirPerson(t *testing.T) {
	b := newBench(t)
	if _, err := b.AddToken(b.ctx, kitchen.NewToken{Name: "sheet",
		Scopes: []access.Scope{access.ScopeWrite}}); !errors.Is(err, kitchen.ErrRight) {
		t.Errorf("a buyer made a token: %v", err)
	}
	p := b.probe("scale", b.dock)
	token, err := b.ProbeToken(b.ctx, p.ID)
	b.must(err)
	a, err := b.ActorOfToken(context.Background(), token)
	if err != nil || a.Person.Name != "Bo" {
		t.Errorf("token acts as %q: %v", a.Person.Name, err)
	}
	if _, err := b.ActorOfToken(context.Background(), token+"0"); !errors.Is(err, kitchen.ErrNoActor) {
		t.Errorf("a wrong token: %v", err)
	}
}

// A projection that was begun before an event, and ends after it, does not put the
// board back: the lot would stand there as it was.
func TestALateProjectionLosesNothing(t *testing.T) {
	b := newBench(t)
	id := b.receive("cod")[0].LotID
	late, err := b.DB.BoardLot(b.ctx, store.BoardLotParams{SiteID: kitchen.ActorFrom(b.ctx).Site.ID, LotID: id})
	b.must(err)
	b.must(b.Append(b.ctx, b.write(id, lot.Held{Reason: "papers"})))
	b.must(b.DB.Write(b.ctx, func(tx *store.Tx) error {
		var row store.PutBoardParams
		text, err := json.Marshal(late)
		b.must(err)
		b.must(json.Unmarshal(text, &row))
		n, err := tx.PutBoard(b.ctx, row)
		if n != 0 {
			t.Errorf("%d rows were put back", n)
		}
		return err
	}))
	if r, err := b.Row(b.ctx, id); err != nil || r.Hold != "papers" || r.Seq != 2 {
		t.Errorf("the board says %q at event %d: %v", r.Hold, r.Seq, err)
	}
}
