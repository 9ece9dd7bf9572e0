package main

import (
	"fmt"
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
	return nil
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
