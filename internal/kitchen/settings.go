package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/ipp"
	"leancatch/internal/label"
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

// SetPrinter names the label printer of the kitchen, "" for none, and the size of its labels. Errors are on the fields
// printer and media.
func (k *Kitchen) SetPrinter(ctx context.Context, uri, media string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	if uri != "" {
		if _, err := ipp.New(uri); err != nil {
			bad.Add("printer", "%s", err)
		}
	}
	if _, ok := label.GetMedia(media); !ok {
		bad.Add("media", "choose a size")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetPrinter(ctx, store.SetPrinterParams{ID: a.Site.ID, Printer: uri, LabelMedia: media}); err != nil {
			return fmt.Errorf("setting the label printer: %w", err)
		}
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActSettings, "label printer "+uri); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// SignParCook signs the kitchen's written procedure for par-cooking, or withdraws it.
func (k *Kitchen) SignParCook(ctx context.Context, sign bool) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	in, said := store.SetParCookParams{ID: a.Site.ID}, "procedure for par-cooking withdrawn"
	if sign {
		now := k.Now()
		in.ParCookBy, in.ParCookAt, said = a.Person.Name, &now, "procedure for par-cooking signed"
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetParCook(ctx, in); err != nil {
			return fmt.Errorf("signing the procedure for par-cooking: %w", err)
		}
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActSettings, said); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
