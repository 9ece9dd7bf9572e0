package kitchen_test

import (
	"errors"
	"testing"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
)

// What a kitchen calls itself and how it counts may be changed by a manager, and by nobody else;
// what is none is named beside its field and changes nothing.
func TestSettings(t *testing.T) {
	b := newBench(t)
	good := kitchen.Settings{Name: "Kittiwake Rooms", TimeZone: "Europe/Oslo", Currency: "NOK", Service: []string{"12:00", "19:30"},
		Checks: []string{"06:30", "22:30"}}
	if err := b.SetSettings(b.ctx, good); err == nil {
		t.Error("a buyer changes them")
	}
	bad := kitchen.Settings{Name: "", TimeZone: "Mars/Olympus", Currency: "shells", Service: []string{"noon"}, Checks: []string{"6:30"}}
	var wrong invalid.Errors
	if err := b.SetSettings(b.manager, bad); !errors.As(err, &wrong) {
		t.Fatal(err)
	}
	for _, field := range []string{"name", "time_zone", "currency", "service", "checks"} {
		if wrong.On(field) == "" {
			t.Errorf("nothing is wrong with %s", field)
		}
	}
	b.must(b.SetSettings(b.manager, good))
	site, err := b.SiteBySlug(b.ctx, kitchen.ActorFrom(b.ctx).Site.Slug)
	b.must(err)
	if site.Name != good.Name || site.TimeZone != good.TimeZone || site.Money(1250) != "12.50 NOK" || len(site.CheckHours) != 2 {
		t.Errorf("%+v", site)
	}
}

// At the kitchen's hours the places that hold fish and have no logger are due to be read by hand,
// until somebody reads them.
func TestPlacesAreReadByHandAtTheirHours(t *testing.T) {
	b := newBench(t)
	b.must(b.SetSettings(b.manager, kitchen.Settings{Name: "Test kitchen", TimeZone: "UTC", Currency: "EUR", Checks: []string{"06:30", "22:30"}}))
	site, err := b.SiteBySlug(b.ctx, kitchen.ActorFrom(b.ctx).Site.Slug)
	b.must(err)
	a := kitchen.ActorFrom(b.ctx)
	a.Site = site
	ctx := kitchen.WithActor(b.ctx, a)
	due := func() (list []time.Time) {
		t.Helper()
		all, err := b.DueBy(ctx, b.now.Add(24*time.Hour))
		b.must(err)
		for _, d := range all {
			if d.Do == "Read the places by hand" {
				list = append(list, d.Due)
			}
		}
		return list
	}
	if list := due(); len(list) != 0 {
		t.Errorf("of a kitchen without fish: %v", list)
	}
	b.receive("cod")
	morning := time.Date(2026, 4, 10, 6, 30, 0, 0, time.UTC)
	if list := due(); len(list) != 3 || !list[1].Equal(morning) { // last night's, this morning's, tonight's
		t.Fatalf("due %v", list)
	}
	celsius := 2.0
	b.must(b.LogPlaceTemperature(ctx, b.dock, kitchen.HandReading{Celsius: &celsius, At: b.now.Add(-time.Minute)})) // half an hour early
	if list := due(); len(list) != 1 || !list[0].Equal(morning.Add(16*time.Hour)) {
		t.Errorf("read at six, there is due %v", list)
	}
}
