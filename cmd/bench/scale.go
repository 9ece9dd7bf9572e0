package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/device"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/web"
)

// The sizes of what is loaded: a slice of 200 kitchens with 20 probes each.
const (
	senders     = 50
	packsOfEach = 16
	packSize    = 500

	moreSites  = 24
	moreProbes = 20
	moreDays   = 30
)

// intake lets many probes send at once, each by its own token, and checks that
// all is there once.
func (b *bench) intake() error {
	ctx := b.ctx
	if err := b.k.AddPlace(ctx, kitchen.NewPlace{Name: "Senders", Kind: "walk_in", SetC: 1}); err != nil {
		return err
	}
	places, err := b.k.DB.Places(ctx, b.places[0].SiteID)
	if err != nil {
		return err
	}
	tokens := make([]string, senders)
	for i := range tokens {
		p, err := b.k.AddProbe(ctx, kitchen.NewProbe{Name: fmt.Sprintf("sender-%d", i), Kind: kitchen.Fixed,
			PlaceID: places[len(places)-1].ID, Interval: time.Minute})
		if err != nil {
			return err
		}
		if tokens[i], err = b.k.ProbeToken(ctx, p.ID); err != nil {
			return err
		}
	}
	server, err := web.New(b.k, b.k.Log, web.Options{})
	if err != nil {
		return err
	}
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: senders}}
	start := b.k.Now().Add(-packsOfEach * packSize * time.Minute)
	var mu sync.Mutex
	var failed error
	acknowledged := 0
	var wait sync.WaitGroup
	begin := time.Now()
	for i := range senders {
		wait.Go(func() {
			c := device.Client{URL: h.URL, Token: tokens[i], HTTP: client}
			for pack := range packsOfEach {
				records := make([]device.Record, packSize)
				for j := range records {
					n := pack*packSize + j
					records[j] = device.Record{Name: fmt.Sprintf("sender-%d", i), Unit: "Cel",
						Time:  float64(start.Add(time.Duration(n) * time.Minute).Unix()),
						Value: math.Round(100*(1+math.Sin(float64(n)/50))) / 100}
				}
				a, err := c.Send(context.Background(), records...)
				mu.Lock()
				acknowledged += a.Stored
				if err != nil {
					failed = err
				}
				mu.Unlock()
			}
		})
	}
	wait.Wait()
	took := time.Since(begin).Seconds()
	if failed != nil {
		return failed
	}
	const sent = senders * packsOfEach * packSize
	var stored, hours int
	err = b.k.DB.Pool.QueryRow(ctx,
		"select (select count(*) from reading r join probe p on p.id = r.probe_id where p.name like 'sender-%'), "+
			"(select sum(readings) from reading_hour h join probe p on p.id = h.probe_id where p.name like 'sender-%')").Scan(&stored, &hours)
	if err != nil {
		return err
	}
	if stored != sent || hours != sent || acknowledged != sent {
		return fmt.Errorf("%d sent, %d acknowledged, %d stored, %d in the hours", sent, acknowledged, stored, hours)
	}
	fmt.Printf("| intake over HTTP, %d probes at once, packs of %d, rolled up; none lost, none doubled | %.0f "+
		"readings/s | ≥ 20 000 |\n", senders, packSize, sent/took)
	return nil
}

// grow loads the readings of more kitchens and holds the board and a lot's
// exposure against what they were before; then it drops a month.
func (b *bench) grow() error {
	before, err := b.glance()
	if err != nil {
		return err
	}
	begin := time.Now()
	total, err := b.load()
	if err != nil {
		return err
	}
	rate := float64(total) / time.Since(begin).Seconds()
	// what the server would do meanwhile, on the same two cores
	for _, sql := range []string{"vacuum (analyze)", "checkpoint"} {
		if _, err := b.k.DB.Pool.Exec(b.ctx, sql); err != nil {
			return err
		}
	}
	after, err := b.glance()
	if err != nil {
		return err
	}
	const million = 1e6
	var all int
	if err := b.k.DB.Pool.QueryRow(b.ctx,
		"select sum(reltuples)::bigint from pg_class c join pg_inherits i on i.inhrelid = c.oid where i.inhparent = "+
			"'reading'::regclass").Scan(&all); err != nil {
		return err
	}
	fmt.Printf("| %.1f million readings more, of %d kitchens, stored and rolled up | %.0f readings/s | ≥ 20 million |\n", float64(total)/million, moreSites, rate)
	for i, what := range []struct{ name, wanted string }{{"board of one kitchen, one client", "≤ 50 ms, × 1.5"},
		{"the same just after a change: drawn anew", "× 1.5"},
		{"exposure of a lot over 30 days by the minute", "≤ 5 ms, × 1.5"}} {
		x, y := before[i], after[i]
		fmt.Printf("| %s, p95 (median): before, with %.1f million | %.1f ms (%.1f), %.1f ms (%.1f): × %.2f | %s |\n",
			what.name, float64(all)/million, x.p95, x.median, y.p95, y.median, y.p95/x.p95, what.wanted)
	}
	return b.drop()
}

// timing is how long something takes, ms.
type timing struct{ p95, median float64 }

// glance times the board, the board after a change, and the exposure of a lot.
func (b *bench) glance() ([3]timing, error) {
	var out [3]timing
	server, err := web.New(b.k, b.k.Log, web.Options{SignedIn: true})
	if err != nil {
		return out, err
	}
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	for i, change := range []bool{false, true} {
		out[i].p95, out[i].median, err = hammer(1, func() (*http.Request, error) {
			if change {
				if err := b.k.DB.BumpVersion(b.ctx, b.places[0].SiteID); err != nil {
					return nil, err
				}
			}
			return http.NewRequest("GET", h.URL+"/k/bench/board", nil)
		})
		if err != nil {
			return out, err
		}
	}
	id, err := uuid.Parse(b.card[strings.LastIndex(b.card, "/")+1:])
	if err != nil {
		return out, err
	}
	now := b.k.Now()
	var took []float64
	for i := range 300 {
		start := time.Now()
		x, err := b.k.Exposure(b.ctx, id, coldchain.Span{From: now.Add(
			-30*24*time.Hour + time.Duration(i)*time.Minute), To: now})
		if err != nil {
			return out, err
		}
		if x.Total.Covered == 0 {
			return out, fmt.Errorf("no exposure: %+v", x.Span)
		}
		took = append(took, float64(time.Since(start).Microseconds())/1000)
	}
	slices.Sort(took)
	out[2] = timing{took[len(took)*95/100], took[len(took)/2]}
	return out, nil
}

// load stores a month by the minute of many kitchens, by the way that imports go.
func (b *bench) load() (total int64, err error) {
	now := b.k.Now().Truncate(time.Minute)
	begin := now.AddDate(0, 0, -moreDays)
	readings := make([]coldchain.Reading, moreDays*24*60)
	var mu sync.Mutex
	var wait sync.WaitGroup
	work := make(chan store.Probe)
	for i := range readings {
		readings[i] = coldchain.Reading{At: begin.Add(time.Duration(i) * time.Minute),
			Celsius: math.Round(100*(1+math.Sin(float64(i)/50))) / 100}
	}
	for range 2 {
		wait.Go(func() {
			for p := range work {
				ctx := store.WithSite(b.ctx, p.SiteID)
				e := b.k.DB.Write(ctx, func(tx *store.Tx) error {
					n, err := tx.PutReadings(ctx, p, store.BatchOf(readings))
					mu.Lock()
					total += n
					mu.Unlock()
					return err
				})
				if e != nil {
					mu.Lock()
					err = e
					mu.Unlock()
				}
			}
		})
	}
	for n := range moreSites {
		site, e := b.k.AddSite(b.ctx, kitchen.Setup{Name: fmt.Sprintf("More %d", n), TimeZone: "Europe/Oslo",
			Profile: "eu", People: []kitchen.NewPerson{{Name: "Mara", Role: "manager"}},
			Places: []kitchen.NewPlace{{Name: "Walk-in", Kind: "walk_in", SetC: 1}}})
		if e != nil {
			close(work)
			return total, e
		}
		for i := range moreProbes {
			p, e := b.k.DB.AddProbe(store.WithSite(b.ctx, site.ID),
				store.AddProbeParams{SiteID: site.ID, Name: fmt.Sprintf("p%d", i), Kind: kitchen.Fixed, IntervalS: 60})
			if e != nil {
				close(work)
				return total, e
			}
			work <- p
		}
	}
	close(work)
	wait.Wait()
	return total, err
}

// drop times the dropping of all but the last months: in one step, however many
// readings there are. The roll-up answers on.
func (b *bench) drop() error {
	var months []byte
	err := b.k.DB.Pool.QueryRow(b.ctx,
		`select json_agg(json_build_object('name', c.relname, 'rows', c.reltuples::bigint) order by c.relname) from pg_class c join pg_inherits i on i.inhrelid = c.oid
		where i.inhparent = 'reading'::regclass and c.relname < 'reading_' || to_char(now() at time zone 'UTC', 'YYYY_MM')`).Scan(&months)
	if err != nil {
		return err
	}
	var list []struct {
		Name string
		Rows int64
	}
	if err := json.Unmarshal(months, &list); err != nil {
		return err
	}
	var rows int64
	for _, m := range list {
		rows += m.Rows
	}
	begin := time.Now()
	n, err := store.New(b.k.DB.Pool).DropReadingsBefore(b.ctx, time.Now().UTC()) // as the owner of the tables
	if err != nil {
		return err
	}
	took := time.Since(begin)
	after, err := b.glance()
	if err != nil {
		return err
	}
	fmt.Printf("| dropping %d months with %.1f million readings; the roll-up stays and answers (exposure %.1f ms) | "+
		"%.0f ms | O(1) |\n", n, float64(rows)/1e6, after[2].median, float64(took.Microseconds())/1000)
	return nil
}
