package kitchen

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// Setup is a new kitchen.
type Setup struct {
	Name     string
	TimeZone string
	Profile  string
	ByHand   bool // in some of its places people read the temperature: they have no logger
	People   []NewPerson
	Places   []NewPlace
	Service  []string // hours of service, "19:00"
	Checks   []string // hours of the checks of the cold places
}

// Check returns what is wrong with the set-up, nil where nothing is.
func (s Setup) Check() invalid.Errors {
	bad := s.CheckKitchen()
	if len(s.People) == 0 {
		bad.Add("people", "name at least one person")
	}
	for _, p := range s.People {
		for _, e := range p.Check(s.Name) {
			if e.Field == "name" || e.Field == "role" {
				e = invalid.Error{Field: "people", Message: fmt.Sprintf("%q: %s", p.Name, e.Message)}
			}
			bad = append(bad, e)
		}
	}
	return bad
}

// CheckKitchen is Check without the people.
func (s Setup) CheckKitchen() invalid.Errors {
	var bad invalid.Errors
	if slugOf(s.Name) == "" || invalid.TooLong(s.Name, 60) {
		bad.Add("name", "give the kitchen a name of at most 60 characters")
	}
	if _, err := time.LoadLocation(s.TimeZone); err != nil || s.TimeZone == "" {
		bad.Add("time_zone", "is not a time zone: write it like Europe/Oslo")
	}
	switch profile, ok := safety.GetProfile(s.Profile); {
	case !ok:
		bad.Add("profile", "choose the rules")
	case s.ByHand && profile.NeedsLoggers():
		bad.Add("profile", "%s needs a logger in every place: readings by hand count for %.0f h there. Choose the rules of "+
			"your country", profile.Name, profile.Grades.CheckedHours)
	}
	if len(s.Places) == 0 {
		bad.Add("places", "name at least one place")
	}
	for _, p := range s.Places {
		checkPlace(p, func(string) string { return "places" }, &bad)
	}
	checkHours("service", s.Service, &bad)
	checkHours("checks", s.Checks, &bad)
	return bad
}

func checkHours(field string, hours []string, bad *invalid.Errors) {
	for _, hour := range hours {
		if t, err := time.Parse("15:04", hour); err != nil || t.Format("15:04") != hour {
			bad.Add(field, "%q: write hours like 12:00 19:00", hour)
		}
	}
}

// Site is a kitchen.
type Site struct {
	ID           int64
	Slug         string // its name in addresses
	Name         string
	TimeZone     string  // of the IANA database
	Profile      string  // the id of the rules in force
	TransportC   float64 // assumed on the way here where nothing was measured, °C
	ServiceHours []string
	NextLot      int64 // the number that the next lot is named by
	WageCents    int64 // an hour of work
	QuietFrom    string
	QuietTo      string
	AltitudeM    float64
	CheckDays    int64 // a probe is checked every so many days
	ThawSchool   string
	LockMinutes  int64    // of quiet, after which a tablet asks for the PIN again
	Currency     string   // in which money is counted: a code of ISO 4217
	CheckHours   []string // at which places without a logger are read by hand
	OwnSpecies   string   // the species that it made, as JSON; "" for none
	// how its bench usually works, choices by policy as JSON, and how the cost of a fish is shared over its parts
	BenchPolicies []byte
	CostBy        string
	Printer       string // the address of its label printer; "" for none
	LabelMedia    string // the size of its labels: an id of label.Medias
	ParCookBy     string // who signed its procedure for par-cooking; "" for nobody
	ParCookAt     *time.Time
}

func siteOf(row store.Site) Site { return Site(row) }

// Sites lists all kitchens of the installation.
func (k *Kitchen) Sites(ctx context.Context) ([]Site, error) {
	rows, err := k.DB.Sites(store.Everywhere(ctx))
	return mapped(rows, err, siteOf)
}

// SiteBySlug returns the kitchen with a name in addresses; it asks for no right.
func (k *Kitchen) SiteBySlug(ctx context.Context, slug string) (Site, error) {
	row, err := k.DB.SiteBySlug(store.Everywhere(ctx), slug)
	return Site(row), err
}

// AddSite makes a kitchen with its people and places.
func (k *Kitchen) AddSite(ctx context.Context, s Setup) (site Site, err error) {
	if err := s.Check().Err(); err != nil {
		return site, err
	}
	if s, err = s.sealed(ctx); err != nil {
		return site, err
	}
	ctx = store.Everywhere(ctx)
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		site, err = k.addSite(ctx, tx, s)
		return err
	})
	return site, err
}

// OpenKitchen makes another kitchen of an owner, who is its owner too.
func (k *Kitchen) OpenKitchen(ctx context.Context, s Setup) (Site, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Own); err != nil {
		return Site{}, err
	}
	if a.Person.AccountID == nil {
		return Site{}, invalid.Errors{{Field: "name",
			Message: "get a user name and a password first: a PIN is of one kitchen alone"}}
	}
	s.People = append([]NewPerson{{Name: a.Person.Name, Role: string(access.Owner), LoginID: a.Person.AccountID}},
		s.People...)
	return k.AddSite(ctx, s)
}

// sealed is the set-up with the hashes of its people's secrets.
func (s Setup) sealed(ctx context.Context) (Setup, error) {
	s.People = slices.Clone(s.People)
	for i, p := range s.People {
		var err error
		if s.People[i], err = p.sealed(ctx); err != nil {
			return s, err
		}
	}
	return s, nil
}

// addSite makes a kitchen. The input is checked and sealed.
func (k *Kitchen) addSite(ctx context.Context, tx *store.Tx, s Setup) (Site, error) {
	site, err := tx.AddSite(ctx, store.AddSiteParams{Slug: slugOf(s.Name), Name: strings.TrimSpace(s.Name),
		TimeZone: s.TimeZone, Profile: s.Profile,
		TransportC: assess.DefaultTransportC, ServiceHours: append([]string{}, s.Service...),
		CheckHours: append([]string{}, s.Checks...)})
	if store.IsDuplicate(err) {
		return Site(site), invalid.Errors{{Field: "name", Message: "there is a kitchen of this name"}}
	} else if err != nil {
		return Site(site), err
	}
	for _, p := range s.People {
		if _, err := k.addPerson(ctx, tx, Site(site), p); err != nil {
			return Site(site), err
		}
	}
	for _, p := range s.Places {
		if err := addPlace(ctx, tx, site.ID, p); err != nil {
			return Site(site), fmt.Errorf("adding %s: %w", p.Name, err)
		}
	}
	if err := k.audit(ctx, tx, site.ID, Person{Name: s.People[0].Name}, ActOpened, site.Name); err != nil {
		return Site(site), err
	}
	return Site(site), tx.Changed(ctx, site.ID)
}

// SetProfile puts another set of rules in force; only a manager may. The clocks of
// all lots on hand are assessed again by it.
func (k *Kitchen) SetProfile(ctx context.Context, id string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	if _, ok := safety.GetProfile(id); !ok {
		return invalid.Errors{{Field: "profile", Message: "choose the rules"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetProfile(ctx, store.SetProfileParams{ID: a.Site.ID, Profile: id}); err != nil {
			return err
		}
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActRules, "rules: "+id+", was "+a.Site.Profile); err != nil {
			return err
		}
		a.Site.Profile = id
		if err := k.refreshOnHand(ctx, tx, a.Site, func(store.LotBoard) bool { return true }); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

var notSlug = regexp.MustCompile(`[^a-z0-9]+`)

func slugOf(name string) string {
	return strings.Trim(notSlug.ReplaceAllString(strings.ToLower(name), "-"), "-")
}

// SetScales chooses the scales in which the person reads and types, and the
// order of the senses in which they inspect.
func (k *Kitchen) SetScales(ctx context.Context, temps unit.TempScale, masses unit.MassScale, senses string) error {
	a := ActorFrom(ctx)
	if temps != unit.CelsiusScale && temps != unit.FahrenheitScale {
		return invalid.Errors{{Field: "temp_scale", Message: "choose °C or °F"}}
	}
	if masses != unit.KilogramScale && masses != unit.PoundScale {
		return invalid.Errors{{Field: "mass_scale", Message: "choose kg or lb"}}
	}
	if !slices.ContainsFunc(freshness.SenseOrders, func(o freshness.SenseOrder) bool { return o.ID == senses }) {
		return invalid.Errors{{Field: "senses", Message: "choose an order"}}
	}
	return k.DB.SetScales(ctx, store.SetScalesParams{SiteID: a.Site.ID, ID: a.Person.ID, TempScale: string(temps),
		MassScale: string(masses), Senses: senses})
}
