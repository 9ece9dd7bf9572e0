package store_test

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

var t0 = time.Date(2026, 1, 30, 22, 13, 0, 0, time.UTC)

// probe makes a site with one probe of a usual interval of five minutes.
func probe(t testing.TB, db *store.DB) store.Probe {
	t.Helper()
	ctx := store.Everywhere(context.Background())
	site, err := db.AddSite(ctx, store.AddSiteParams{Slug: "s", Name: "S", TimeZone: "UTC", Profile: "eu",
		ServiceHours: []string{}})
	if err != nil {
		t.Fatal(err)
	}
	p, err := db.AddProbe(ctx, store.AddProbeParams{SiteID: site.ID, Name: "p", Kind: "fixed", IntervalS: 300})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func put(t testing.TB, db *store.DB, p store.Probe, readings []coldchain.Reading) int64 {
	t.Helper()
	var stored int64
	err := db.Write(store.Everywhere(context.Background()), func(tx *store.Tx) (err error) {
		stored, err = tx.PutReadings(store.Everywhere(context.Background()), p, store.BatchOf(readings))
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return stored
}

// walk is a jittered series over three days and a month's end, with holes.
// Temperatures are exact in single precision, as the database keeps them.
func walk(rnd *rand.Rand, n int) []coldchain.Reading {
	readings := make([]coldchain.Reading, n)
	at := t0
	for i := range readings {
		step := time.Duration(200+rnd.IntN(200)) * time.Second
		if rnd.IntN(30) == 0 {
			step += time.Duration(rnd.IntN(180)) * time.Minute
		}
		at = at.Add(step)
		readings[i] = coldchain.Reading{At: at, Celsius: float64(rnd.IntN(160)-24) / 8}
	}
	return readings
}

// Whatever the order and the pieces in which readings arrive, and however often,
// the roll-up answers as the readings themselves would.
func TestRollUpsStayTrueWhateverTheOrderOfArrival(t *testing.T) {
	db := storetest.New(t)
	p := probe(t, db)
	rnd := rand.New(rand.NewPCG(3, 9))
	all := walk(rnd, 700)

	pieces := slices.Collect(slices.Chunk(all, 37))
	rnd.Shuffle(len(pieces), func(i, j int) { pieces[i], pieces[j] = pieces[j], pieces[i] })
	var stored int64
	for i, piece := range pieces {
		if i%3 == 0 {
			piece = slices.Clone(piece)
			slices.Reverse(piece)
		}
		stored += put(t, db, p, piece)
	}
	if stored != int64(len(all)) {
		t.Errorf("stored %d of %d", stored, len(all))
	}
	if again := put(t, db, p, append(slices.Clone(all[100:300]), all[150:160]...)); again != 0 {
		t.Errorf("stored %d readings twice", again)
	}

	series := coldchain.Series{Readings: all, MaxGap: p.MaxGap(), Hold: p.MaxGap()}
	for range 50 {
		from := t0.Add(time.Duration(rnd.IntN(70*60)-120) * time.Minute)
		span := coldchain.Span{From: from, To: from.Add(time.Duration(1+rnd.IntN(3000)) * time.Minute)}
		rolled, err := db.Rolled(store.Everywhere(context.Background()), db.Queries, p, []coldchain.Span{span})
		if err != nil {
			t.Fatal(err)
		}
		got, gotGaps := rolled.Exposure(span)
		want, wantGaps := series.Exposure(span)
		if got.Covered != want.Covered || math.Abs(got.Temperate-want.Temperate) > 1e-9 ||
			math.Abs(got.Warm-want.Warm) > 1e-9 ||
			math.Abs(got.HoursAbove(4.4)-want.HoursAbove(4.4)) > 1e-6 || !slices.EqualFunc(gotGaps, wantGaps,
			sameSpan) {
			t.Fatalf("over %v: got %+v %v, want %+v %v", span, got, gotGaps, want, wantGaps)
		}
	}
}

func sameSpan(a, b coldchain.Span) bool { return a.From.Equal(b.From) && a.To.Equal(b.To) }

// Two clients that store the same readings at once store them once.
func TestTheSameReadingsAtOnceAreStoredOnce(t *testing.T) {
	db := storetest.New(t)
	p := probe(t, db)
	readings := walk(rand.New(rand.NewPCG(1, 1)), 500)
	var wait sync.WaitGroup
	stored := make([]int64, 4)
	for i := range stored {
		wait.Go(func() { stored[i] = put(t, db, p, readings) })
	}
	wait.Wait()
	if sum := stored[0] + stored[1] + stored[2] + stored[3]; sum != 500 {
		t.Errorf("stored %v, want 500 in all", stored)
	}
}

func TestAFailingBatchLeavesNothing(t *testing.T) {
	db := storetest.New(t)
	p := probe(t, db)
	ctx := store.Everywhere(context.Background())
	b := store.BatchOf(walk(rand.New(rand.NewPCG(1, 1)), 500))
	whole := b.All
	b.All = func(yield func(coldchain.Reading, error) bool) {
		n := 0
		for r := range whole {
			if n++; n == 300 {
				yield(coldchain.Reading{}, context.DeadlineExceeded)
				return
			}
			if !yield(r, nil) {
				return
			}
		}
	}
	err := db.Write(ctx, func(tx *store.Tx) error { _, err := tx.PutReadings(ctx, p, b); return err })
	if err == nil {
		t.Fatal("no error")
	}
	if some, _ := db.AnyReadingBetween(ctx, store.AnyReadingBetweenParams{SiteID: p.SiteID, ProbeID: p.ID,
		FromAt: b.First, ToAt: b.Last}); some {
		t.Error("half a batch was stored")
	}
}

func TestEventsCannotBeChanged(t *testing.T) {
	db := storetest.New(t)
	for _, sql := range []string{"truncate lot_event", "truncate lot_event, lot cascade"} {
		if _, err := db.Pool.Exec(store.Everywhere(context.Background()), sql); err == nil {
			t.Errorf("%s went through", sql)
		}
	}
}

// What is kept of a probe's hours never outlives a change of its readings, be it
// rolled back.
func TestKeptHoursFollowTheReadings(t *testing.T) {
	db := storetest.New(t)
	p := probe(t, db)
	ctx := store.Everywhere(context.Background())
	begin := t0.Truncate(time.Hour)
	span := coldchain.Span{From: begin, To: begin.Add(3 * time.Hour)}
	warm := func(celsius float64, from, n int) []coldchain.Reading {
		var list []coldchain.Reading
		for i := range n {
			list = append(list, coldchain.Reading{At: begin.Add(time.Duration(from+5*i) * time.Minute),
				Celsius: celsius})
		}
		return list
	}
	mean := func() float64 {
		t.Helper()
		row, err := db.Probe(ctx, store.ProbeParams{SiteID: p.SiteID, ID: p.ID})
		if err != nil {
			t.Fatal(err)
		}
		rolled, err := db.Rolled(ctx, db.Queries, row, []coldchain.Span{span})
		if err != nil {
			t.Fatal(err)
		}
		e, _ := rolled.Exposure(span)
		return e.Mean()
	}
	put(t, db, p, warm(2, 0, 13))
	if got := mean(); math.Abs(got-2) > 1e-9 {
		t.Fatalf("mean %v", got)
	}
	errBack := context.Canceled
	err := db.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.PutReadings(ctx, p, store.BatchOf(warm(9, 65, 12))); err != nil {
			return err
		}
		row, err := tx.Probe(ctx, store.ProbeParams{SiteID: p.SiteID, ID: p.ID})
		if err != nil {
			return err
		}
		rolled, err := db.Rolled(ctx, tx.Queries, row, []coldchain.Span{span})
		if e, _ := rolled.Exposure(span); err != nil || e.Mean() < 4 {
			t.Errorf("in the transaction: mean %v, %v", e.Mean(), err)
		}
		return errBack
	})
	if err != errBack {
		t.Fatal(err)
	}
	if got := mean(); math.Abs(got-2) > 1e-9 {
		t.Errorf("after it was rolled back: mean %v", got)
	}
	put(t, db, p, warm(4, 65, 12))
	if got := mean(); got < 2.9 || got > 3.2 {
		t.Errorf("after another: mean %v", got)
	}
}
