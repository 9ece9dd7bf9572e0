package kitchen

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// Setup is a new kitchen.
type Setup struct {
	Name     string
	TimeZone string
	Profile  string
	People   []NewPerson
	Places   []NewPlace
	Service  []string // hours of service, "19:00"
}

// NewPerson is a person to be added.
type NewPerson struct{ Name, Role string }

// Roles are the roles of people at a site.
var Roles = []string{"owner", "manager", "buyer", "crew", "auditor"}

// Check returns what is wrong with the set-up, nil where nothing is.
func (s Setup) Check() invalid.Errors {
	var bad invalid.Errors
	if slugOf(s.Name) == "" || len(s.Name) > 60 {
		bad.Add("name", "give the kitchen a name of at most 60 characters")
	}
	if _, err := time.LoadLocation(s.TimeZone); err != nil || s.TimeZone == "" {
		bad.Add("time_zone", "is not a time zone: write it like Europe/Oslo")
	}
	if _, ok := safety.GetProfile(s.Profile); !ok {
		bad.Add("profile", "choose a rule profile")
	}
	if len(s.People) == 0 {
		bad.Add("people", "name at least one person")
	}
	for _, p := range s.People {
		if strings.TrimSpace(p.Name) == "" || !slices.Contains(Roles, p.Role) {
			bad.Add("people", "%q: give a name and one of the roles %s", p.Name, strings.Join(Roles, ", "))
		}
	}
	if len(s.Places) == 0 {
		bad.Add("places", "name at least one place")
	}
	for _, p := range s.Places {
		checkPlace(p, func(string) string { return "places" }, &bad)
	}
	for _, hour := range s.Service {
		if _, err := time.Parse("15:04", hour); err != nil {
			bad.Add("service", "%q: write hours like 12:00 19:00", hour)
		}
	}
	return bad
}

// AddSite makes a kitchen with its people and places.
func (k *Kitchen) AddSite(ctx context.Context, s Setup) (site store.Site, err error) {
	if err := s.Check().Err(); err != nil {
		return site, err
	}
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		site, err = tx.AddSite(ctx, store.AddSiteParams{Slug: slugOf(s.Name), Name: strings.TrimSpace(s.Name), TimeZone: s.TimeZone, Profile: s.Profile,
			TransportC: lot.DefaultTransportC, ServiceHours: append([]string{}, s.Service...)})
		if store.IsDuplicate(err) {
			return invalid.Errors{{Field: "name", Message: "there is a kitchen of this name"}}
		} else if err != nil {
			return err
		}
		for _, p := range s.People {
			if _, err := tx.AddPerson(ctx, store.AddPersonParams{SiteID: site.ID, Name: strings.TrimSpace(p.Name), Role: p.Role}); err != nil {
				return fmt.Errorf("adding %s: %w", p.Name, err)
			}
		}
		for _, p := range s.Places {
			if err := addPlace(ctx, tx, site.ID, p); err != nil {
				return fmt.Errorf("adding %s: %w", p.Name, err)
			}
		}
		return tx.Changed(ctx, site.ID)
	})
	return site, err
}

// SetProfile puts another rule profile in force: a manager's act. The clocks of
// all lots on hand are read anew by it.
func (k *Kitchen) SetProfile(ctx context.Context, id string) error {
	a := ActorFrom(ctx)
	if !a.IsManager() {
		return ErrManager
	}
	if _, ok := safety.GetProfile(id); !ok {
		return invalid.Errors{{Field: "profile", Message: "choose a rule profile"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetProfile(ctx, store.SetProfileParams{ID: a.Site.ID, Profile: id}); err != nil {
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
	return k.DB.SetScales(ctx, store.SetScalesParams{SiteID: a.Site.ID, ID: a.Person.ID, TempScale: string(temps), MassScale: string(masses), Senses: senses})
}

// AddToken makes a token of the JSON API that acts as the actor. It is returned
// once; only its hash is kept.
func (k *Kitchen) AddToken(ctx context.Context, name string) (string, error) {
	return k.addToken(ctx, k.DB.Queries, name, nil)
}

func (k *Kitchen) addToken(ctx context.Context, q *store.Queries, name string, probe *int64) (string, error) {
	a := ActorFrom(ctx)
	if a.Person.ID == 0 {
		return "", ErrNoActor
	}
	var secret [24]byte
	if _, err := rand.Read(secret[:]); err != nil {
		return "", err
	}
	token := "lc_" + hex.EncodeToString(secret[:])
	return token, q.AddToken(ctx, store.AddTokenParams{SiteID: a.Site.ID, Name: name, Hash: tokenHash(token), PersonID: a.Person.ID, CreatedAt: k.Now(), ProbeID: probe})
}

func tokenHash(token string) []byte {
	sum := sha256.Sum256([]byte(token)) // 192 random bits need no slow hash
	return sum[:]
}

// ActorOfToken returns who acts with a token, ErrNoActor for one that is not known.
func (k *Kitchen) ActorOfToken(ctx context.Context, token string) (Actor, error) {
	row, err := k.DB.TokenByHash(ctx, tokenHash(token))
	if errors.Is(err, ErrNotFound) {
		return Actor{}, ErrNoActor
	} else if err != nil {
		return Actor{}, err
	}
	a, err := k.actor(ctx, row.SiteID, row.PersonID)
	if row.ProbeID != nil {
		a.ProbeID = *row.ProbeID
	}
	return a, err
}

func (k *Kitchen) actor(ctx context.Context, siteID, personID int64) (Actor, error) {
	site, err := k.DB.SiteByID(ctx, siteID)
	if err != nil {
		return Actor{}, err
	}
	person, err := k.DB.Person(ctx, store.PersonParams{SiteID: siteID, ID: personID})
	return Actor{Site: site, Person: person}, err
}
