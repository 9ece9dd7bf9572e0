package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// Settings are what a kitchen calls itself and how it counts.
type Settings struct {
	Name     string
	TimeZone string   // of the IANA database
	Currency string   // a code of ISO 4217
	Service  []string // hours of service, "19:00"
	Checks   []string // hours at which places without a logger are read by hand
}

// Currencies are those that a kitchen may count in, with their signs.
var Currencies = []struct{ ID, Name string }{{"EUR", "€ euro"}, {"GBP", "£ pound"}, {"USD", "$ US dollar"}, {"CAD", "CA$ Canadian dollar"},
	{"AUD", "A$ Australian dollar"}, {"NZD", "NZ$ New Zealand dollar"}, {"NOK", "NOK Norwegian krone"}, {"SEK", "SEK Swedish krona"},
	{"DKK", "DKK Danish krone"}, {"ISK", "ISK Icelandic króna"}, {"CHF", "CHF Swiss franc"}, {"PLN", "PLN złoty"}, {"JPY", "¥ yen"}}

// Money writes an amount of hundredths in the kitchen's currency.
func (s Site) Money(cents int64) string {
	sign := map[string]string{"EUR": "€", "GBP": "£", "USD": "$", "CAD": "CA$", "AUD": "A$", "NZD": "NZ$", "JPY": "¥"}[s.Currency]
	if sign == "" {
		sign = s.Currency
	}
	return fmt.Sprintf("%.2f %s", float64(cents)/100, sign)
}

// SetSettings changes them. Errors are on the fields name, time_zone, currency, service and
// checks.
func (k *Kitchen) SetSettings(ctx context.Context, in Settings) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	if slugOf(in.Name) == "" || invalid.TooLong(in.Name, 60) {
		bad.Add("name", "give the kitchen a name of at most 60 characters")
	}
	if _, err := time.LoadLocation(in.TimeZone); err != nil || in.TimeZone == "" {
		bad.Add("time_zone", "is not a time zone: write it like Europe/Oslo")
	}
	if !slices.ContainsFunc(Currencies, func(c struct{ ID, Name string }) bool { return c.ID == in.Currency }) {
		bad.Add("currency", "choose a currency")
	}
	checkHours("service", in.Service, &bad)
	checkHours("checks", in.Checks, &bad)
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetSettings(ctx, store.SetSettingsParams{ID: a.Site.ID, Name: in.Name, TimeZone: in.TimeZone, Currency: in.Currency,
			ServiceHours: append([]string{}, in.Service...), CheckHours: append([]string{}, in.Checks...)}); err != nil {
			return err
		}
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActSettings, in.Name); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// readEarly is how long before its hour a reading by hand counts for a check.
const readEarly = 90 * time.Minute

// readingsDue are the checks by hand that are due: of the places where fish lies and nothing
// else measures, at the hours of the kitchen.
func (k *Kitchen) readingsDue(ctx context.Context, until time.Time) ([]Due, error) {
	a := ActorFrom(ctx)
	if len(a.Site.CheckHours) == 0 {
		return nil, nil
	}
	now := k.Now()
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return nil, err
	}
	inUse, err := k.DB.PlacesInUse(ctx, a.Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading the places in use: %w", err)
	}
	var places []int64
	by := map[int64]int64{} // probe → place
	for _, used := range inUse {
		logged := false
		for _, p := range l.places[used.PlaceID].Probes {
			if p.ByHand {
				by[p.ProbeID] = used.PlaceID
			} else if p.To.After(now) {
				logged = true
			}
		}
		if !logged {
			places = append(places, used.PlaceID)
		}
	}
	if len(places) == 0 {
		return nil, nil
	}
	var probes []int64
	for id := range by {
		probes = append(probes, id)
	}
	rows, err := k.DB.LastReadAt(ctx, store.LastReadAtParams{SiteID: a.Site.ID, Probes: probes, Since: now.Add(-48 * time.Hour)})
	if err != nil {
		return nil, fmt.Errorf("loading the last readings by hand: %w", err)
	}
	read := map[int64]time.Time{}
	for _, r := range rows {
		if at := read[by[r.ProbeID]]; r.At.After(at) {
			read[by[r.ProbeID]] = r.At
		}
	}
	var due []Due
	last, next := checksAround(a.Site.CheckHours, now, a.Zone())
	for _, at := range append([]time.Time{last}, next...) {
		unread := 0
		for _, place := range places {
			if read[place].Before(at.Add(-readEarly)) {
				unread++
			}
		}
		if unread > 0 && !at.IsZero() && !at.After(until) {
			due = append(due, Due{Action: assess.Action{Do: "Read the places by hand", Why: fmt.Sprintf("%d without a logger", unread), Due: at},
				PlaceID: places[0], Name: ""})
		}
	}
	return due, nil
}

// checksAround are the last of some hours of the day that is over, and those of the next day
// that are still to come.
func checksAround(hours []string, now time.Time, zone *time.Location) (last time.Time, next []time.Time) {
	local := now.In(zone)
	for day := -1; day <= 1; day++ {
		for _, hour := range hours {
			t, err := time.Parse("15:04", hour)
			if err != nil {
				continue
			}
			at := time.Date(local.Year(), local.Month(), local.Day()+day, t.Hour(), t.Minute(), 0, 0, zone)
			switch {
			case !at.After(now) && at.After(last):
				last = at
			case at.After(now) && at.Sub(now) < 24*time.Hour:
				next = append(next, at)
			}
		}
	}
	slices.SortFunc(next, time.Time.Compare)
	return last, next
}
