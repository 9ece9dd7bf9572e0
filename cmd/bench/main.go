// Command bench measures the speeds and sizes that the project promises, and
// prints them as a table. It needs LEANCATCH_TEST_DB, a PostgreSQL server on
// which it may make a database, and the built binary; make bench gives it both.
package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/web"
)

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// The sizes of the bench.
const (
	lotsOnHand  = 500
	readings    = 1_000_000
	clients     = 8
	requests    = 60 // of each client
	importRows  = 1_000_000
	importTries = 3
)

// bench is a kitchen full of fish.
type bench struct {
	k      *kitchen.Kitchen
	ctx    context.Context
	url    string
	places []store.Place
	probes []store.Probe
	card   string      // of a lot with thirty days of readings by the minute
	cod    string      // of a lot to inspect
	cods   []uuid.UUID // of 24 cod each
}

func run(ctx context.Context) error {
	dbURL, drop, err := newDatabase(ctx)
	if err != nil {
		return err
	}
	defer drop()
	b := &bench{url: dbURL}
	if err := b.fill(ctx); err != nil {
		return err
	}
	defer b.k.DB.Close()
	fmt.Printf("%d lots on hand, %d readings\n\n| what | measured | wanted |\n|---|---|---|\n", lotsOnHand, readings)
	if err := b.packs(); err != nil { // first: what the others leave behind is not its memory
		return fmt.Errorf("packs: %w", err)
	}
	if err := b.pages(); err != nil {
		return err
	}
	if err := b.live(); err != nil {
		return fmt.Errorf("live: %w", err)
	}
	if err := b.appends(); err != nil {
		return fmt.Errorf("appends: %w", err)
	}
	if err := b.cuts(); err != nil {
		return fmt.Errorf("cuts: %w", err)
	}
	if err := b.services(); err != nil {
		return fmt.Errorf("services: %w", err)
	}
	if err := freezing(); err != nil {
		return err
	}
	if err := b.imports(); err != nil {
		return err
	}
	if err := b.intake(); err != nil {
		return fmt.Errorf("intake: %w", err)
	}
	if err := b.grow(); err != nil {
		return err
	}
	return b.recalls()
}

// longLot is how many events the longest lot has, appendTries how often one is appended.
const (
	longLot     = 2000
	appendTries = 31
)

// appends times a core reading that is appended to a lot: one of two events, and one that
// has very many.
func (b *bench) appends() error {
	short, err := uuid.Parse(path.Base(b.cod))
	if err != nil {
		return err
	}
	long, err := b.longLot()
	if err != nil {
		return err
	}
	for _, of := range []struct {
		name   string
		id     uuid.UUID
		wanted string
	}{{"a new lot", short, "≤ 15 ms"}, {fmt.Sprintf("a lot of %d events", longLot), long, "≤ 30 ms"}} {
		var took []time.Duration
		for i := range appendTries {
			w := kitchen.Write{EventID: kitchen.NewID(), LotID: of.id, HappenedAt: b.k.Now(),
				Payload: lot.Temperature{Celsius: 1 + float64(i)/100}}
			start := time.Now()
			if err := b.k.Append(b.ctx, w); err != nil {
				return err
			}
			took = append(took, time.Since(start))
		}
		slices.Sort(took)
		fmt.Printf("| append to %s, median (p95) | %.1f ms (%.1f ms) | %s |\n", of.name,
			float64(took[len(took)/2].Microseconds())/1000, float64(took[len(took)*95/100].Microseconds())/1000, of.wanted)
	}
	return nil
}

// cutTries is how often a cut is recorded.
const cutTries = 31

// cuts times a cut of 12 fish into 8 parts, each the beginning of a lot but for what leaves, and what all lots on hand
// are worth.
func (b *bench) cuts() error {
	var took []time.Duration
	for i := range cutTries {
		cut := lot.Cut{Count: 12, WeightKg: 18}
		for _, p := range []struct {
			form  string
			share float64
			to    cutting.Destination
		}{{"fillet_skin_on", 0.44, cutting.ToService}, {"belly", 0.04, cutting.ToService}, {"cheek", 0.01, cutting.ToService},
			{"collar", 0.03, cutting.ToFreezer}, {"nape", 0.02, cutting.ToPrepared}, {"trim", 0.06, cutting.ToService},
			{"frame", 0.2, cutting.ToStock}, {cutting.Waste, 0.19, cutting.ToBin}} {
			cut.Parts = append(cut.Parts, lot.CutPart{Form: p.form, Count: 12, WeightKg: 18 * p.share, To: p.to})
		}
		w := kitchen.Write{EventID: kitchen.NewID(), LotID: b.cods[1+i], HappenedAt: b.k.Now(), Payload: cut}
		start := time.Now()
		if err := b.k.Append(b.ctx, w); err != nil {
			return err
		}
		took = append(took, time.Since(start))
	}
	slices.Sort(took)
	fmt.Printf("| a cut of 12 fish into 8 parts, median (p95) | %.1f ms (%.1f ms) | ≤ 150 ms |\n", ms(took[len(took)/2]), ms(took[len(took)*95/100]))
	took = took[:0]
	for range cutTries {
		start := time.Now()
		if _, err := b.k.Worth(b.ctx); err != nil {
			return err
		}
		took = append(took, time.Since(start))
	}
	slices.Sort(took)
	fmt.Printf("| what %d lots cost, median (p95) | %.1f ms (%.1f ms) | ≤ 20 ms |\n", lotsOnHand, ms(took[len(took)/2]), ms(took[len(took)*95/100]))
	return nil
}

// ms are milliseconds.
func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// longLot receives a lot and writes many core readings after it.
func (b *bench) longLot() (uuid.UUID, error) {
	now := b.k.Now().Truncate(time.Microsecond)
	core, caught := 0.8, now.Add(-60*time.Hour)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: now.Add(-48 * time.Hour),
		Lines: []lot.Received{{SpeciesID: "cod", Form: "gutted", Count: 1, WeightKg: 3, CoreC: &core, Ice: "well_iced",
			LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, PlaceID: b.places[0].ID}}}
	if err := b.k.Receive(b.ctx, d); err != nil {
		return uuid.Nil, err
	}
	note, err := b.k.DeliveryNote(b.ctx, d.ID)
	if err != nil {
		return uuid.Nil, err
	}
	id, site := note.Rows[0].LotID, b.places[0].SiteID
	return id, b.k.DB.Write(b.ctx, func(tx *store.Tx) error {
		var head []byte
		if err := tx.QueryRow(b.ctx, "select head_hash from lot where id = $1", id).Scan(&head); err != nil {
			return err
		}
		for n := 2; n <= longLot; n++ {
			at := now.Add(-48*time.Hour + time.Duration(n)*time.Minute)
			e := lot.Event{ID: kitchen.NewID(), LotID: id, Seq: n, Kind: lot.KindFor[lot.Temperature](), HappenedAt: at,
				RecordedAt: at, PersonID: 1, Data: []byte(`{"celsius":1.2}`), PrevHash: head}
			head = e.Digest()
			if _, err := tx.Exec(b.ctx, `insert into lot_event (site_id, lot_id, seq, id, kind, happened_at, recorded_at,
				person_id, data, prev_hash, hash) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`, site, id, e.Seq, e.ID,
				string(e.Kind), e.HappenedAt, e.RecordedAt, e.PersonID, []byte(e.Data), e.PrevHash, head); err != nil {
				return err
			}
		}
		_, err := tx.Exec(b.ctx, "update lot set head_seq = $2, head_hash = $3 where id = $1", id, longLot, head)
		return err
	})
}

// freezing times a fish of 100 mm through its freezing: 40 cells, 24 h.
func freezing() error {
	cod, _ := species.Builtin().Get("cod")
	material, err := heat.Of(cod).Material()
	if err != nil {
		return err
	}
	p := heat.Process{Body: heat.Body{Material: material, Shape: heat.Cylinder, Thickness: 0.1}, StartC: 10,
		Medium: heat.Steady(-25), H: 15, Max: 24 * time.Hour, Cells: 40}
	var times []time.Duration
	steps := 0
	for range 200 {
		start := time.Now()
		r, err := p.Run()
		if err != nil {
			return err
		}
		times, steps = append(times, time.Since(start)), r.Steps
	}
	slices.Sort(times)
	fmt.Printf("| freezing of a 100 mm fish, 40 cells, 24 h in %d steps: median (p95) | %.1f ms (%.1f ms) | ≤ 5 ms |\n",
		steps, ms(times[len(times)/2]), ms(times[len(times)*95/100]))
	return nil
}

func newDatabase(ctx context.Context) (string, func(), error) {
	server := os.Getenv("LEANCATCH_TEST_DB")
	admin, err := store.Open(ctx, server)
	if err != nil {
		return "", nil, err
	}
	for _, sql := range []string{"drop database if exists bench with (force)", "create database bench"} {
		if _, err := admin.Pool.Exec(ctx, sql); err != nil {
			return "", nil, err
		}
	}
	u, err := url.Parse(server)
	if err != nil {
		return "", nil, err
	}
	u.Path = "/bench"
	return u.String(), func() {
		admin.Pool.Exec(ctx, "drop database bench with (force)")
		admin.Close()
	}, nil
}

// fill makes a kitchen of ten places, each with a probe, lots in all of them,
// and the readings: by the minute for thirty days in the first place.
func (b *bench) fill(ctx context.Context) error {
	db, err := store.Open(ctx, b.url)
	if err != nil {
		return err
	}
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	b.k = kitchen.New(db, slog.New(slog.DiscardHandler))
	setup := kitchen.Setup{Name: "Bench", TimeZone: "Europe/Oslo", Profile: "house-strict",
		Service: []string{"12:00", "19:00"}, People: []kitchen.NewPerson{{Name: "Mara", Role: "manager"}}}
	for i := range 10 {
		setup.Places = append(setup.Places, kitchen.NewPlace{Name: fmt.Sprintf("Walk-in %d", i+1), Kind: "walk_in",
			SetC: 1})
	}
	site, err := b.k.AddSite(ctx, setup)
	if err != nil {
		return err
	}
	ctx = store.WithSite(ctx, site.ID)
	people, err := db.People(ctx, site.ID)
	if err != nil {
		return err
	}
	b.ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[0])})
	if b.places, err = db.Places(ctx, site.ID); err != nil {
		return err
	}
	now := b.k.Now()
	for i, p := range b.places {
		if _, err := b.k.AddProbe(b.ctx, kitchen.NewProbe{Name: fmt.Sprintf("probe-%d", i+1), Kind: kitchen.Fixed,
			PlaceID: p.ID, Interval: time.Minute}); err != nil {
			return err
		}
	}
	if b.probes, err = db.Probes(ctx, site.ID); err != nil {
		return err
	}
	for i, probe := range b.probes {
		series := make([]coldchain.Reading, readings/len(b.probes))
		for j := range series {
			series[j] = coldchain.Reading{At: now.Add(-time.Duration(len(series)-j) * time.Minute),
				Celsius: 1 + math.Sin(float64(j)/50+float64(i))}
		}
		err := db.Write(ctx, func(tx *store.Tx) error {
			_, err := tx.PutReadings(ctx, probe, store.BatchOf(series))
			return err
		})
		if err != nil {
			return err
		}
	}
	sorts := []string{"cod", "haddock", "salmon", "turbot", "halibut", "mackerel", "sea-bream", "plaice", "hake",
		"ling"}
	for n := range lotsOnHand / 10 {
		arrived := now.Add(-time.Duration(n) * 2 * time.Hour)
		if n == lotsOnHand/10-1 {
			arrived = now.Add(-30 * 24 * time.Hour)
		}
		d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: arrived}
		for i, sp := range sorts {
			core, caught := 0.8, arrived.Add(-24*time.Hour)
			d.Lines = append(d.Lines, lot.Received{SpeciesID: sp, Form: "gutted", Count: 24, WeightKg: 36,
				CoreC: &core, Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught},
				PlaceID: b.places[i].ID})
		}
		if err := b.k.Receive(b.ctx, d); err != nil {
			return err
		}
		docket, err := b.k.DeliveryNote(b.ctx, d.ID)
		if err != nil {
			return err
		}
		b.card = "/k/bench/lots/" + docket.Rows[0].LotID.String()
		for _, r := range docket.Rows {
			if r.Species.ID == "cod" {
				b.cods = append(b.cods, r.LotID)
			}
		}
		if n == 0 {
			b.cod = b.card
		}
	}
	if _, err := db.Pool.Exec(ctx, "analyze"); err != nil {
		return err
	}
	return b.k.RefreshStale(ctx)
}

func (b *bench) pages() error {
	server, err := web.New(b.k, b.k.Log, web.Options{SignedIn: true})
	if err != nil {
		return err
	}
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	get := func(path string) (*http.Request, error) { return http.NewRequest("GET", h.URL+path, nil) }
	look := func() (*http.Request, error) {
		const seen = `{"skin":1,"belly":1,"smell":1,"eye_shape":1,"eye_clarity":0,"stiffness":2,"blood_spots":1,` +
			`"gill_colour":0,"gill_smell":1}`
		// the sixth fish of a box of 24
		body := url.Values{"current": {"skin"}, "at": {"5"}, "fish": {"[" + strings.Repeat(seen+",", 5) + "{}]"},
			"sign-skin": {"1"}, "sign-belly": {"1"}, "sign-smell": {"1"}, "sign-eye_shape": {"1"},
			"sign-stiffness": {"2"}}.Encode()
		req, err := http.NewRequest("POST", h.URL+b.cod+"/inspect/preview", strings.NewReader(body))
		if err == nil {
			req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			req.Header.Set("HX-Request", "true")
		}
		return req, err
	}
	board := func() (*http.Request, error) { return get("/k/bench/board") }
	at := b.k.Now().Add(24 * time.Hour)
	handle := func() (*http.Request, error) { // each time at another hour: it is drawn anew
		at = at.Add(time.Minute)
		return get("/k/bench/board/rows?at=" + at.UTC().Format("2006-01-02T15:04"))
	}
	mark := ""
	if answer, err := http.Get(h.URL + "/k/bench/board/rows"); err == nil {
		mark = markOf(answer, err)
	}
	changed := func() (*http.Request, error) { return b.afterChange(get, mark) }
	card := func() (*http.Request, error) { return get(b.card) }
	bench := func() (*http.Request, error) { return get("/k/bench/bench") }
	typed := func() (*http.Request, error) { // a cut, as it is filled in
		body := url.Values{"preview": {"1"}, "parts": {"3"}, "count": {"12"}, "weight_kg": {"18"}, "part-0-form": {"fillet_skin_on"}, "part-0-kg": {"8"},
			"part-0-to": {"service"}, "part-1-form": {"frame"}, "part-1-to": {"stock_pot"}, "part-2-form": {"waste"}, "part-2-to": {"bin"}}.Encode()
		req, err := http.NewRequest("POST", h.URL+strings.Replace(b.cod, "/lots/", "/bench/cut/", 1), strings.NewReader(body))
		if err == nil {
			req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		}
		return req, err
	}
	for _, p := range []struct {
		name    string
		clients int
		wanted  string
		make    func() (*http.Request, error)
	}{
		{"board", clients, "≤ 50 ms", board},
		{fmt.Sprintf("the handle of the board moved, %d lots drawn anew", lotsOnHand), 1, "≤ 60 ms with 100", handle},
		{"the board after a change of one lot", 1, "≤ 15 ms", changed},
		{"lot card with 30 days of readings by the minute", 1, "≤ 50 ms", card},
		{"lot card with 30 days of readings by the minute", clients, "", card},
		{"a step of inspecting a box of 24", 1, "≤ 15 ms", look},
		{"a step of inspecting a box of 24", clients, "", look},
		{fmt.Sprintf("the bench with %d lots", lotsOnHand), 1, "≤ 40 ms", bench},
		{"a cut as it is filled in", 1, "≤ 40 ms", typed},
	} {
		p95, median, err := hammer(p.clients, p.make)
		if err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		fmt.Printf("| %s, clients at once: %d, p95 (median) | %.1f ms (%.1f ms) | %s |\n", p.name, p.clients, p95,
			median, p.wanted)
	}
	fmt.Printf("| largest drawing of a fish, all signs at their worst | %.1f kB | ≤ 40 kB |\n", largestDrawing())
	size, err := firstLoad(h.URL, "/k/bench/board")
	if err != nil {
		return err
	}
	fmt.Printf("| first load of the board with %d lots, over the wire | %.0f kB | ≤ 250 kB |\n", lotsOnHand,
		float64(size)/1000)
	return nil
}

// largestDrawing is the size of the largest drawing of any fish by any scheme,
// kB.
func largestDrawing() float64 {
	largest := 0
	for _, sp := range species.Builtin().All() {
		for _, form := range lot.Forms {
			for _, scheme := range freshness.Schemes() {
				if !scheme.Fits(sp, form, scheme.Frozen) {
					continue
				}
				worst := freshness.Fish{Signs: freshness.Signs{}}
				p := drawing.Picture{Subject: drawing.Subject{Figure: sp.Figure, Form: form, Frozen: scheme.Frozen}}
				for _, sign := range scheme.SignsOn(form) {
					worst.Signs[sign.ID] = len(sign.Levels) - 1
					p.Zones = append(p.Zones, sign.Zone)
				}
				p.Features, p.Done = scheme.Features(worst), p.Zones
				largest = max(largest, len(p.Draw()))
			}
		}
	}
	return float64(largest) / 1000
}

// hammer sends requests from n clients at once and returns milliseconds, as
// the client sees them. The load and the server share the machine.
func hammer(n int, make func() (*http.Request, error)) (p95, median float64, err error) {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: n}}
	var mu sync.Mutex
	var took []float64
	var wait sync.WaitGroup
	for range n {
		wait.Go(func() {
			for i := range requests {
				req, e := make()
				if e == nil {
					req.Header.Set("Accept-Encoding", "gzip") // set here, it is not unpacked here
				}
				start := time.Now()
				var res *http.Response
				if e == nil {
					res, e = client.Do(req)
				}
				if e == nil {
					_, e = io.Copy(io.Discard, res.Body)
					res.Body.Close()
					if res.StatusCode != http.StatusOK {
						e = fmt.Errorf("status %d", res.StatusCode)
					}
				}
				mu.Lock()
				if e != nil {
					err = e
				} else if i > 2 { // the first ones warm up
					took = append(took, float64(time.Since(start).Microseconds())/1000)
				}
				mu.Unlock()
			}
		})
	}
	wait.Wait()
	if err != nil {
		return 0, 0, err
	}
	slices.Sort(took)
	return took[len(took)*95/100], took[len(took)/2], nil
}

// afterChange writes an event of a lot, and asks for the rows of the board that are new since then.
func (b *bench) afterChange(get func(string) (*http.Request, error), mark string) (*http.Request, error) {
	id, err := uuid.Parse(path.Base(b.cod))
	if err != nil {
		return nil, err
	}
	if err := b.k.Append(b.ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: b.k.Now(),
		Payload: lot.Temperature{Celsius: 0.8}}); err != nil {
		return nil, err
	}
	return get("/k/bench/board/rows?since=" + mark)
}

var linked = regexp.MustCompile(`(?:href|src)="(/static/[^"]+)"`)

// firstLoad adds up what a browser fetches for a page, as sent.
func firstLoad(base, path string) (int, error) {
	fetch := func(path string) ([]byte, []byte, error) {
		req, err := http.NewRequest("GET", base+path, nil)
		if err != nil {
			return nil, nil, err
		}
		req.Header.Set("Accept-Encoding", "gzip")
		res, err := http.DefaultTransport.RoundTrip(req)
		if err != nil {
			return nil, nil, err
		}
		defer res.Body.Close()
		sent, err := io.ReadAll(res.Body)
		if err != nil || res.Header.Get("Content-Encoding") != "gzip" {
			return sent, sent, err
		}
		unzip, err := gzip.NewReader(bytes.NewReader(sent))
		if err != nil {
			return nil, nil, err
		}
		plain, err := io.ReadAll(unzip)
		return sent, plain, err
	}
	sent, plain, err := fetch(path)
	if err != nil {
		return 0, err
	}
	total := len(sent)
	for _, m := range append(linked.FindAllSubmatch(plain, -1), [][]byte{nil, []byte("/static/figures.woff2")}) {
		sent, _, err := fetch(string(m[1]))
		if err != nil {
			return 0, err
		}
		total += len(sent)
	}
	return total, nil
}

// imports stores the same rows by a bare COPY and by the application's import,
// in turn.
func (b *bench) imports() error {
	dir, err := os.MkdirTemp("", "bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	var logger, rows bytes.Buffer
	logger.WriteString("time,celsius\n")
	start := time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range importRows {
		at, celsius := start.Add(time.Duration(i)*time.Minute).Format("2006-01-02T15:04:05Z"), 1+math.Sin(float64(i)/50)
		fmt.Fprintf(&logger, "%s,%.2f\n", at, celsius)
		fmt.Fprintf(&rows, "%d,%d,%s,%.2f\n", b.places[0].SiteID, 999, at, celsius)
	}
	file := filepath.Join(dir, "logger.csv")
	if err := os.WriteFile(file, logger.Bytes(), 0o600); err != nil {
		return err
	}
	var copies, imports, ratios []float64
	var memory int64
	for i := range importTries {
		bare, err := b.bareCopy(rows.Bytes(), start)
		if err != nil {
			return fmt.Errorf("bare COPY: %w", err)
		}
		place := fmt.Sprintf("Walk-in %d", i+5) // not where the lot of the lot card lies
		cmd := exec.Command(".build/leancatch", "import", "-database", b.url, "-site", "bench", "-place", place, file)
		var out bytes.Buffer
		cmd.Stdout, cmd.Stderr = &out, &out
		begin := time.Now()
		if err := cmd.Start(); err != nil {
			return err
		}
		peak := make(chan int64)
		go func() { peak <- watchPeak(cmd.Process.Pid) }()
		if err := cmd.Wait(); err != nil {
			return fmt.Errorf("import: %w: %s", err, out.String())
		}
		took := time.Since(begin).Seconds()
		memory = max(memory, <-peak)
		copies, imports, ratios = append(copies, importRows/bare), append(imports, importRows/took),
			append(ratios, bare/took)
	}
	fmt.Printf("| bare COPY of %d rows | %.0f rows/s | |\n", importRows, middle(copies))
	fmt.Printf("| import of the same as a logger's CSV, whole process | %.0f rows/s | |\n", middle(imports))
	fmt.Printf("| import against COPY, median of %d pairs | %.2f | ≥ 0.6 |\n", importTries, middle(ratios))
	fmt.Printf("| memory of the import at its peak | %.0f MB | < 150 MB |\n", float64(memory)/1024)
	return nil
}

// watchPeak returns the greatest resident size of a process, kB, once it has
// ended. (The rusage of a child begins with the size of its parent.)
func watchPeak(pid int) int64 {
	var peak int64
	for {
		status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
		_, rest, found := strings.Cut(string(status), "VmHWM:")
		if err != nil || !found {
			return peak
		}
		fmt.Sscan(rest, &peak)
		time.Sleep(10 * time.Millisecond)
	}
}

// bareCopy copies rows into the table of readings and takes them out again; it
// returns seconds.
func (b *bench) bareCopy(rows []byte, start time.Time) (float64, error) {
	for m := start; m.Before(start.Add(importRows * time.Minute)); m = m.AddDate(0, 1, 0) {
		if err := b.k.DB.EnsureReadingMonth(b.ctx, m); err != nil {
			return 0, err
		}
	}
	conn, err := b.k.DB.Pool.Acquire(b.ctx)
	if err != nil {
		return 0, err
	}
	defer conn.Release()
	begin := time.Now()
	if _, err := conn.Conn().PgConn().CopyFrom(b.ctx, bytes.NewReader(rows),
		"copy reading from stdin with (format csv)"); err != nil {
		return 0, err
	}
	took := time.Since(begin).Seconds()
	_, err = conn.Exec(b.ctx, "delete from reading where probe_id = 999")
	if err == nil {
		_, err = conn.Exec(b.ctx, "vacuum reading")
	}
	return took, err
}

func middle(v []float64) float64 {
	v = slices.Clone(v)
	slices.Sort(v)
	return v[len(v)/2]
}
