package main

import (
	"fmt"
	"io"
	"os"
	"runtime"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
)

// packLots is how many lots the month of the pack has.
const packLots = 600

// packs times the records of a month as a paper and as a workbook, written to disk, and what they take of memory meanwhile.
func (b *bench) packs() error {
	arrived := b.k.Now().Add(-40 * time.Hour)
	for n := range (packLots - lotsOnHand) / 10 {
		d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: arrived.Add(-time.Duration(n) * time.Hour)}
		for i := range 10 {
			core, caught := 0.8, arrived.Add(-30*time.Hour)
			d.Lines = append(d.Lines, lot.Received{SpeciesID: "cod", Form: "gutted", Count: 6, WeightKg: 12, CoreC: &core, Ice: "well_iced",
				LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, PlaceID: b.places[i].ID})
		}
		if err := b.k.Receive(b.ctx, d); err != nil {
			return err
		}
		note, err := b.k.DeliveryNote(b.ctx, d.ID)
		if err != nil {
			return err
		}
		for _, r := range note.Rows { // they are of the month, and not on hand where the rest is timed
			if err := b.k.Append(b.ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: r.LotID, HappenedAt: b.k.Now(),
				Payload: lot.Discarded{Reason: "spoiled"}}); err != nil {
				return err
			}
		}
	}
	span := coldchain.Span{From: b.k.Now().AddDate(0, 0, -30), To: b.k.Now().Add(time.Minute)}
	for _, x := range []struct {
		name  string
		write func(*os.File) error
	}{
		{"as a PDF", func(f *os.File) error {
			return interchange.WritePack(b.ctx, f, b.k, span, func(interchange.Progress) {})
		}},
		{"as a workbook", func(f *os.File) error {
			return interchange.WriteWorkbook(f, interchange.Tables(b.ctx, b.k, span), time.UTC)
		}},
	} {
		f, err := os.CreateTemp("", "pack-*")
		if err != nil {
			return err
		}
		defer os.Remove(f.Name())
		defer f.Close()
		start := time.Now()
		high, err := watched(func() error { return x.write(f) })
		if err != nil {
			return err
		}
		fmt.Printf("| records of a month %s, 10 places by the minute, %d lots | %.1f s, %.0f MB | ≤ 5 s, ≤ 150 MB |\n", x.name, packLots,
			time.Since(start).Seconds(), high)
	}
	return b.yearOfEntries()
}

// packMonths is how many months of as many lots a year's export has.
const packMonths = 12

// yearOfEntries times all entries of a year as CSV: that of a month, and of lots made twelve times as many by copies, which are gone
// afterwards.
func (b *bench) yearOfEntries() error {
	site := kitchen.ActorFrom(b.ctx).Site.ID
	export := func() (mb, seconds float64, err error) {
		span := coldchain.Span{From: b.k.Now().AddDate(-1, 0, 0), To: b.k.Now().Add(time.Minute)}
		for _, t := range interchange.Tables(b.ctx, b.k, span) {
			if t.ID == "history" {
				start := time.Now()
				mb, err = watched(func() error { return interchange.WriteCSV(io.Discard, t, time.UTC) })
				seconds = time.Since(start).Seconds()
			}
		}
		return mb, seconds, err
	}
	month, _, err := export()
	if err != nil {
		return err
	}
	for _, sql := range []string{
		fmt.Sprintf(`create unlogged table twin as select l.site_id, l.id as old, gen_random_uuid() as new, n from lot l, generate_series(1, %d) n where l.site_id = %d`,
			packMonths-1, site),
		`insert into lot select (jsonb_populate_record(l, jsonb_build_object('id', t.new, 'code', l.code || '-' || t.n))).* from lot l join twin t on t.site_id = l.site_id and t.old = l.id`,
		`insert into lot_board select (jsonb_populate_record(b, jsonb_build_object('lot_id', t.new, 'code', b.code || '-' || t.n, 'status', 'finished'))).*
			from lot_board b join twin t on t.site_id = b.site_id and t.old = b.lot_id`,
		`insert into lot_event select (jsonb_populate_record(e, jsonb_build_object('lot_id', t.new, 'id', gen_random_uuid(),
			'happened_at', e.happened_at - t.n * interval '26 days'))).* from lot_event e join twin t on t.site_id = e.site_id and t.old = e.lot_id`,
	} {
		if _, err := b.k.DB.Pool.Exec(b.ctx, sql); err != nil {
			return fmt.Errorf("copying lots: %w", err)
		}
	}
	year, seconds, err := export()
	if err != nil {
		return err
	}
	if _, err := b.k.DB.Pool.Exec(b.ctx, fmt.Sprintf("select drop_lots(%d, array(select new from twin))", site)); err != nil {
		return fmt.Errorf("dropping the copies: %w", err)
	}
	fmt.Printf("| all entries of a year as CSV, %d lots: memory (of a month: %.0f MB) | %.1f s, %.0f MB | flat |\n", packLots*packMonths,
		month, seconds, year)
	if _, err = b.k.DB.Pool.Exec(b.ctx, "drop table twin"); err == nil {
		_, err = b.k.DB.Pool.Exec(b.ctx, "vacuum analyze")
	}
	return err
}

// watched does something and says by how much the heap in use grew meanwhile at most, in MB.
func watched(do func() error) (mb float64, err error) {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	before, high := m.HeapInuse, uint64(0)
	done, over := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(over)
		for {
			select {
			case <-done:
				return
			case <-time.After(10 * time.Millisecond):
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				high = max(high, m.HeapInuse)
			}
		}
	}()
	err = do()
	close(done)
	<-over
	return float64(max(high, before)-before) / 1e6, err
}
