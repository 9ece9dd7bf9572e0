package kitchen_test

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

var update = flag.Bool("update", false, "write the golden files anew")

// fixtureAt is the instant at which the fixture's database was dumped.
var fixtureAt = time.Date(2026, 11, 28, 5, 9, 11, 0, time.UTC)

// assessed is what the product says of a lot: figures and ids alone, no words, so
// that a new wording does not change it. A share that does not apply is null.
type assessed struct {
	Site      string             `json:"site"`
	Code      string             `json:"code"`
	Seq       int                `json:"seq"`
	Frozen    bool               `json:"frozen"`
	Basis     string             `json:"basis"`
	From      time.Time          `json:"from"`
	Used      *float64           `json:"used_ice_days"`
	UsedSD    *float64           `json:"used_sd"`
	Left      *float64           `json:"left_ice_days"`
	RealDays  *float64           `json:"left_days_here"`
	Gap       *float64           `json:"age_gap"`
	Celsius   *float64           `json:"celsius"`
	Rate      *float64           `json:"rate"`
	Hours     map[string]float64 `json:"hours"`
	ToChill   *float64           `json:"to_chill_share"`
	Histamine *float64           `json:"histamine_share"`
	Oxygen    *float64           `json:"oxygen_share"`
	Frost     *float64           `json:"frozen_life_share"`
	Out       *float64           `json:"out_of_cold_hours"`
	Loss      *float64           `json:"ageing_loss"`
	Parasites bool               `json:"parasites_met"`
	States    []string           `json:"states"` // of the histamine and the reduced-oxygen clock
	Stops     int                `json:"stops"`
	Held      bool               `json:"held"`
	KeepTo    time.Time          `json:"keep_to"`
	Uses      map[string]bool    `json:"uses"`
	Due       int                `json:"due"` // how many things are due for it
}

// A database made by an earlier version opens, its chains are whole, its
// projections can be rebuilt, and every lot in it is assessed as it was then, to the
// last digit.
func TestOldDatabase(t *testing.T) {
	k := kitchen.New(storetest.Restore(t, "testdata/demo-2026-11.sql.gz"), slog.New(slog.DiscardHandler))
	k.Now = func() time.Time { return fixtureAt }
	sites, err := k.Sites(context.Background())
	if err != nil || len(sites) != 2 {
		t.Fatalf("%d kitchens: %v", len(sites), err)
	}
	var got []assessed
	for _, site := range sites {
		ctx := store.WithSite(context.Background(), site.ID)
		lots, err := k.CheckChains(ctx, site)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := k.CheckAudit(ctx, site.ID); err != nil {
			t.Fatal(err)
		}
		if err := k.Rebuild(ctx, site); err != nil {
			t.Fatal(err)
		}
		people, err := k.DB.People(ctx, site.ID)
		if err != nil {
			t.Fatal(err)
		}
		ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[0])})
		rows, err := k.Find(ctx, "", false)
		if err != nil || len(rows) != lots {
			t.Fatalf("%s: %d of %d lots on the board: %v", site.Name, len(rows), lots, err)
		}
		for _, row := range rows {
			card, err := k.Card(ctx, row.LotID)
			if err != nil {
				t.Fatal(err)
			}
			a := assessLot(site.Slug, card)
			if a.Left != nil && (*a.Left != row.LeftDays || *a.Used != row.UsedDays) {
				t.Errorf("%s: the board has %v days used and %v left, the card %v and %v", a.Code, row.UsedDays,
					row.LeftDays, *a.Used, *a.Left)
			}
			got = append(got, a)
		}
	}
	slices.SortFunc(got, func(a, b assessed) int { return strings.Compare(a.Site+a.Code, b.Site+b.Code) })
	golden(t, "demo-2026-11.json", got)
}

// golden holds a value, as JSON with a line for each entry, to a file of testdata.
func golden[T any](t *testing.T, name string, list []T) {
	t.Helper()
	var text bytes.Buffer
	for _, x := range list {
		line, err := json.Marshal(x)
		if err != nil {
			t.Fatal(err)
		}
		text.Write(append(line, '\n'))
	}
	path := filepath.Join("testdata", name)
	if *update {
		if err := os.WriteFile(path, text.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	had, have := strings.Split(string(want), "\n"), strings.Split(text.String(), "\n")
	if len(had) != len(have) {
		t.Fatalf("%s: %d entries, were %d", name, len(have)-1, len(had)-1)
	}
	for i, told := 0, 0; i < len(had) && told < 3; i++ {
		if had[i] != have[i] {
			told++
			t.Errorf("%s, line %d:\n have %s\n want %s", name, i+1, have[i], had[i])
		}
	}
}

// number is a figure that may be missing.
func number(v float64) *float64 {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

func assessLot(site string, c kitchen.Card) assessed {
	a := c.Assessment
	out := assessed{Site: site, Code: c.State.Received.Code, Seq: c.State.Seq, Frozen: a.Frozen,
		Basis: string(a.Basis), From: a.From.UTC(),
		RealDays: number(a.RealDays), Gap: a.Gap, Celsius: number(a.NowC),
		Rate: number(a.Rate), Hours: map[string]float64{},
		Parasites: a.Parasites.Met || a.Parasites.Exempt != "", States: []string{}, Stops: len(a.Stops),
		Held: c.State.Hold != "", KeepTo: a.KeepTo.UTC(),
		Uses: map[string]bool{}, Due: len(c.Due)}
	if a.Basis != "" {
		out.Used, out.UsedSD, out.Left = number(a.Used.Days), number(a.Used.SD), number(a.Left.Days)
	}
	for kind, h := range a.Hours {
		out.Hours[string(kind)] = h
	}
	if b := a.Histamine; b != nil {
		out.ToChill, out.Histamine, out.States = number(b.ToChill.Share()), number(b.Share),
			append(out.States, string(b.State))
	}
	if o := a.Oxygen; o != nil {
		out.Oxygen, out.States = number(o.Share), append(out.States, string(o.State))
	}
	if f := a.FrozenLife; f != nil {
		out.Frost = number(f.Share)
	}
	if a.OutOfCold != nil && a.OutOfCold.Hours > 0 {
		out.Out = number(a.OutOfCold.Hours)
	}
	if a.Ageing != nil {
		out.Loss = number(a.Ageing.Loss.Mid)
	}
	for _, u := range c.Uses {
		out.Uses[u.ID] = u.OK
	}
	return out
}

// A database with rows in it goes back to the oldest schema, and comes up again through every migration:
// what the oldest one held is there, its chains are whole, and every lot is assessed.
func TestUpgradeFromTheOldestSchema(t *testing.T) {
	k := kitchen.New(storetest.Restore(t, "testdata/demo-2026-11.sql.gz"), slog.New(slog.DiscardHandler))
	k.Now = func() time.Time { return fixtureAt }
	ctx := context.Background()
	var before, after [4]int
	count := func(into *[4]int) {
		t.Helper()
		if err := k.DB.Pool.QueryRow(ctx, `select (select count(*) from site), (select count(*) from lot), (select count(*) from lot_event),
			(select count(*) from reading)`).Scan(&into[0], &into[1], &into[2], &into[3]); err != nil {
			t.Fatal(err)
		}
	}
	count(&before)
	if err := k.DB.Unmigrate(ctx, 1); err != nil {
		t.Fatal(err)
	}
	if err := k.DB.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	if count(&after); before != after || before[3] == 0 {
		t.Errorf("kitchens, lots, events and readings: %v, were %v", after, before)
	}
	if faults := k.Health(ctx); len(faults) > 0 {
		t.Errorf("faults: %v", faults)
	}
	sites, err := k.Sites(ctx)
	if err != nil || len(sites) != before[0] {
		t.Fatalf("%d kitchens: %v", len(sites), err)
	}
	for _, site := range sites {
		if _, err := k.CheckChains(ctx, site); err != nil {
			t.Error(err)
		}
		if err := k.Rebuild(ctx, site); err != nil {
			t.Error(err)
		}
	}
}
