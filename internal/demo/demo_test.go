package demo

import (
	"context"
	"log/slog"
	"maps"
	"math"
	"net/http/httptest"
	"testing"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/freshness/testfish"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
	"leancatch/internal/web"
)

// The demo holds what it promises at any hour of the day: fish in every state,
// whole chains, and a projection that rebuilds to itself.
func TestTheDemoHoldsWhatItPromises(t *testing.T) {
	for _, clock := range []string{"2026-03-29T03:10:00Z", "2026-06-10T05:00:00Z", "2026-11-02T21:45:00Z"} {
		t.Run(clock, func(t *testing.T) {
			now, err := time.Parse(time.RFC3339, clock)
			if err != nil {
				t.Fatal(err)
			}
			k := kitchen.New(storetest.New(t), slog.New(slog.DiscardHandler))
			k.Now = func() time.Time { return now }
			ctx := context.Background()
			token, err := Fill(ctx, k)
			if err != nil {
				t.Fatal(err)
			}
			actor, err := k.ActorOfToken(ctx, token.Token)
			if err != nil || actor.Site.Name != "Harbour" || !actor.IsManager() {
				t.Fatalf("the token acts as %s at %s: %v", actor.Person.Name, actor.Site.Name, err)
			}
			ctx = kitchen.WithActor(ctx, actor)
			checkHarbour(t, k, ctx, now)

			sites, err := k.Sites(ctx)
			if err != nil || len(sites) != 2 {
				t.Fatalf("%d kitchens: %v", len(sites), err)
			}
			for _, site := range sites {
				if _, err := k.CheckChains(ctx, site); err != nil {
					t.Error(err)
				}
				ctx := store.WithSite(ctx, site.ID)
				before, _ := k.DB.BoardOnHand(ctx, site.ID)
				if err := k.Rebuild(ctx, site); err != nil {
					t.Fatal(err)
				}
				if after, _ := k.DB.BoardOnHand(ctx, site.ID); len(before) == 0 || !storetest.SameBoard(before, after) {
					t.Errorf("%s: the rebuilt projection differs", site.Name)
				}
			}
		})
	}
}

func checkHarbour(t *testing.T, k *kitchen.Kitchen, ctx context.Context, now time.Time) {
	t.Helper()
	rows, err := k.Find(ctx, "", false)
	if err != nil {
		t.Fatal(err)
	}
	count := map[string]int{}
	for _, r := range rows {
		count[r.Status]++
		switch {
		case r.Status != string(lot.OnHand):
		case r.Frozen:
			count["frozen"]++
		case r.OnHold():
			count["held or stopped"]++
		case !r.Known():
			count["unknown"]++
		}
		if r.Gap != nil && *r.Gap > 1 {
			count["reads older"]++
		}
		if r.Known() && (r.LeftNow < 0 || r.LeftNow > r.ShelfDays || math.IsNaN(r.RealDays)) {
			t.Errorf("%s: %v fresh days left of %v, %v real days", r.Code, r.LeftNow, r.ShelfDays, r.RealDays)
		}
	}
	for what, least := range map[string]int{"on hand": 18, "used up": 8, "refused": 1, "frozen": 3,
		"held or stopped": 1, "reads older": 1} {
		if count[what] < least {
			t.Errorf("%s: %d, want at least %d", what, count[what], least)
		}
	}
	places, err := k.Places(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, place := range places {
		if place.Silent(now) {
			t.Errorf("the probe of %s is silent", place.Name)
		}
	}
	checkMorning(t, k, ctx, now)
}

// checkMorning holds the demo to a calm morning with one problem: a night that was warm in the walk-in, and
// what may be raw tonight.
func checkMorning(t *testing.T, k *kitchen.Kitchen, ctx context.Context, now time.Time) {
	t.Helper()
	due, err := k.DueBy(ctx, assess.DayEnd(now.Add(time.Hour), kitchen.ActorFrom(ctx).Zone()))
	if err != nil {
		t.Fatal(err)
	}
	groups := kitchen.GatherDue(due)
	for _, g := range groups {
		if g.First().Due.Before(now) {
			t.Errorf("late: %s %s, %s", g.First().Do, g.First().Name, g.First().Why)
		}
	}
	if len(groups) < 4 || len(groups) > 7 { // five and one for each service, but for what falls into the next day
		t.Errorf("%d things due", len(groups))
		for _, g := range groups {
			t.Logf("%s %s %v", g.First().Due, g.First().Name, g.Steps())
		}
	}
	alarms, err := k.OpenAlarms(ctx)
	if err != nil || len(alarms) != 1 || alarms[0].Place != "Walk-in" || alarms[0].Lasts() {
		t.Errorf("want one alarm, of the walk-in's night: %+v, %v", alarms, err)
	}

	first := firstService(now)
	if ahead := first.Sub(now); ahead < 8*time.Hour || ahead >= 8*time.Hour+30*time.Minute || first.Minute()%30 != 0 {
		t.Errorf("the first service is %v ahead, at %v", ahead, first)
	}
	raw := map[string]int{}
	board, err := k.Board(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range board.Rows {
		if r.ServedAt(first).Serving == assess.ServeRaw {
			raw[r.Species.ID]++
		}
		if r.Species.ID == "sea-bream" && board.Places[r.PlaceID].Name == "Walk-in" && (r.ServedAt(first).Serving != assess.ServeCook) {
			t.Errorf("the bream of the warm night may be %q", r.ServedAt(first).Serving)
		}
	}
	want := map[string]int{"sea-bream": 1, "sea-bass": 1, "turbot": 1, "salmon": 1, "halibut": 1}
	if !maps.Equal(raw, want) {
		t.Errorf("raw at the first service: %v, want %v", raw, want)
	}
}

// The probes send by the intake, with tokens of their own, what they missed
// while the demo was not running, and no more.
func TestTheProbesSendWhatTheyMissed(t *testing.T) {
	k := kitchen.New(storetest.New(t), slog.New(slog.DiscardHandler))
	now := time.Date(2026, 6, 10, 5, 0, 0, 0, time.UTC)
	k.Now = func() time.Time { return now }
	ctx := context.Background()
	if _, err := Fill(ctx, k); err != nil {
		t.Fatal(err)
	}
	sites, _ := k.Sites(ctx)
	server, err := web.New(k, k.Log, web.Options{})
	if err != nil {
		t.Fatal(err)
	}
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	count := func() (n int) {
		if err := k.DB.Pool.QueryRow(ctx, "select count(*) from reading where site_id = $1",
			sites[0].ID).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := count()
	now = now.Add(3 * time.Hour)
	for range 2 {
		list, err := senders(ctx, k, sites[0], h.URL)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range list {
			if _, err := s.client.Send(ctx, s.read(now)...); err != nil {
				t.Fatal(err)
			}
		}
	}
	if added := count() - before; added < 3*6*12-6 || added > 3*6*12 {
		t.Errorf("%d readings added for three hours of six probes, want 216 less what is lost", added)
	}
	for kind, want := range map[string]float64{kitchen.Scale: 2.43, kitchen.Thermometer: 1.5} {
		in := kitchen.WithActor(ctx, kitchen.Actor{Site: sites[0]})
		if v, err := k.LastValue(in, kind, time.Minute); err != nil || math.Abs(v.Value-want) > 1 {
			t.Errorf("the %s says %v, %v", kind, v.Value, err)
		}
	}
}

// The demo's fish read the age that they were given, to half a level.
func TestEvenFishReadBack(t *testing.T) {
	for _, sp := range species.Builtin().All() {
		for _, scheme := range freshness.Schemes() {
			if scheme.Calibration == nil || !scheme.Fits(sp, "whole", false) {
				continue
			}
			mid := sp.ShelfLife.Mid()
			step := mid / (scheme.Rejection() - 1)
			for age := 0.0; age < 0.95*mid; age += 0.3 {
				r, err := scheme.Read(sp.ShelfLife, []freshness.Fish{testfish.Even(scheme, sp.ShelfLife, "whole", age)})
				if err != nil {
					t.Fatal(err)
				}
				if math.Abs(r.Age.Days-age) > step*0.75 && !r.Age.AtLeast {
					t.Errorf("%s, %s of %.1f days reads %.2f", scheme.ID, sp.Name, age, r.Age.Days)
				}
			}
		}
	}
}
