package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// catalogues keeps the catalogues of kitchens that have species of their own, by the text that holds
// those.
var catalogues = expirable.NewLRU[string, species.Catalogue](64, nil, time.Hour)

// Catalogue is the species that the kitchen knows: those that come with the application, and its own.
func (s Site) Catalogue() species.Catalogue {
	if s.OwnSpecies == "" {
		return species.Builtin()
	}
	if c, ok := catalogues.Get(s.OwnSpecies); ok {
		return c
	}
	own, err := species.ParseOwn(s.OwnSpecies)
	if err != nil { // it was checked as it was written
		panic(fmt.Sprintf("kitchen %s: %v", s.Slug, err))
	}
	c := species.Builtin().With(own)
	catalogues.Add(s.OwnSpecies, c)
	return c
}

// CopySpecies makes a species of the kitchen's own by the figures of its kin, on the careful side, and
// returns it. Only a manager may. Errors are on kin and name.
func (k *Kitchen) CopySpecies(ctx context.Context, kin, name string) (species.Species, error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return species.Species{}, err
	}
	catalogue := a.Site.Catalogue()
	from, ok := catalogue.Get(kin)
	if !ok {
		return species.Species{}, invalid.Errors{{Field: "kin", Message: "is not in the catalogue"}}
	}
	s := catalogue.CopyOf(from, name)
	return s, k.saveSpecies(ctx, a, s)
}

// SaveSpecies keeps a species of the kitchen's own as its next version: House.Version is the one that
// the person edited. What lies of it is assessed anew. Only a manager may. Errors are on the JSON names
// of its fields.
func (k *Kitchen) SaveSpecies(ctx context.Context, s species.Species) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	old, ok := a.Site.Catalogue().Get(s.ID)
	if !ok || old.House == nil || s.House == nil {
		return ErrNotFound // those of the application are copied, not edited
	}
	s.House.Version++
	return k.saveSpecies(ctx, a, s)
}

func (k *Kitchen) saveSpecies(ctx context.Context, a Actor, s species.Species) error {
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		site, err := k.putSpecies(ctx, tx, a, s)
		if err != nil {
			return err
		}
		if err := k.refreshOnHand(ctx, tx, site, func(b store.LotBoard) bool { return b.Species == s.ID }); err != nil {
			return err
		}
		return tx.Changed(ctx, site.ID)
	})
}

// putSpecies writes versions of species of the kitchen's own, checked against those that it has by
// now, and returns the site with them.
func (k *Kitchen) putSpecies(ctx context.Context, tx *store.Tx, a Actor, list ...species.Species) (Site, error) {
	row, err := tx.LockSite(ctx, a.Site.ID)
	if err != nil {
		return Site{}, fmt.Errorf("locking the site: %w", err)
	}
	site := Site(row)
	for _, s := range list {
		if bad := site.Catalogue().CheckOwn(s); len(bad) > 0 {
			return Site{}, bad
		}
		s.Origin = nil
		data, err := json.Marshal(s)
		if err != nil {
			return Site{}, err
		}
		err = tx.AddHouseSpecies(ctx, store.AddHouseSpeciesParams{SiteID: site.ID, ID: s.ID, Version: int64(s.House.Version),
			Data: data, CreatedAt: k.Now(), PersonID: a.Person.ID})
		if store.IsDuplicate(err) {
			return Site{}, invalid.Errors{{Field: "name", Message: "somebody else saved this species in the meantime: open it again"}}
		} else if err != nil {
			return Site{}, fmt.Errorf("saving the species: %w", err)
		}
		if site.OwnSpecies, err = tx.GatherOwnSpecies(ctx, site.ID); err != nil {
			return Site{}, fmt.Errorf("gathering the species: %w", err)
		}
	}
	return site, nil
}

// unlisted makes species of the kitchen's own of names that nobody finds in the catalogue, as a
// delivery comes in with them.
func (c *change) unlisted(ctx context.Context, names []string) error {
	for _, name := range names {
		if _, known := c.a.Site.Catalogue().Find(name); known {
			continue
		}
		site, err := c.k.putSpecies(ctx, c.Tx, c.a, c.a.Site.Catalogue().Unlisted(name))
		if err != nil {
			return err
		}
		c.a.Site = site
	}
	return nil
}

// withUnlisted is the catalogue of a kitchen as it is once those names are in it.
func (s Site) withUnlisted(names []string) species.Catalogue {
	c := s.Catalogue()
	for _, name := range names {
		if _, known := c.Find(name); !known {
			c = c.With([]species.Species{c.Unlisted(name)})
		}
	}
	return c
}

// SpeciesVersion is a species of the kitchen's own as somebody saved it.
type SpeciesVersion struct {
	species.Species
	At time.Time
	By string
}

// SpeciesVersions lists the versions of a species of the kitchen's own, the newest first.
func (k *Kitchen) SpeciesVersions(ctx context.Context, id string) ([]SpeciesVersion, error) {
	rows, err := k.DB.HouseSpeciesVersions(ctx, store.HouseSpeciesVersionsParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return nil, err
	}
	list := make([]SpeciesVersion, len(rows))
	for i, r := range rows {
		list[i].At, list[i].By = r.CreatedAt, r.By
		if err := json.Unmarshal(r.Data, &list[i].Species); err != nil {
			return nil, fmt.Errorf("species %s, version %d: %w", id, r.Version, err)
		}
	}
	return list, nil
}

// FindSpecies lists at most limit species that match a text, as the catalogue does, and says which one it
// surely means. Where a person has to say which, that is the zero Species, and what the kitchen received
// most of stands first.
func (k *Kitchen) FindSpecies(ctx context.Context, text string, limit int) (found []species.Species, meant species.Species, err error) {
	site := ActorFrom(ctx).Site
	catalogue := site.Catalogue()
	found = catalogue.Search(text, len(catalogue.All()))
	if sp, sure := catalogue.Meant(text); sure {
		meant = sp
	} else {
		rows, err := k.DB.SpeciesReceived(ctx, site.ID)
		if err != nil {
			return nil, meant, fmt.Errorf("counting the species received: %w", err)
		}
		lots := map[string]int64{}
		for _, r := range rows {
			lots[r.Species] = r.Lots
		}
		alike := found
		if named := catalogue.Named(text); len(named) > 0 {
			alike = found[:len(named)] // they stand first, all of them
			limit = max(limit, len(named))
		}
		slices.SortStableFunc(alike, func(a, b species.Species) int { return cmp.Compare(lots[b.ID], lots[a.ID]) })
	}
	return found[:min(limit, len(found))], meant, nil
}
