package kitchen_test

import (
	"errors"
	"testing"

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
