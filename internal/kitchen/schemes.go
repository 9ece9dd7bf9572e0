package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// housePrefix begins the ids of schemes that a kitchen made.
const housePrefix = "house-"

// Schemes lists the schemes of the kitchen for a species, those that come with
// the application first, each with the kitchen's own calibration where it has
// one.
func (k *Kitchen) Schemes(ctx context.Context, sp species.Species) ([]freshness.Scheme, error) {
	return k.schemes(ctx, k.DB.Queries, ActorFrom(ctx).Site.ID, sp)
}

func (k *Kitchen) schemes(ctx context.Context, q *store.Queries, site int64, sp species.Species) ([]freshness.Scheme,
	error) {
	schemes := slices.Clone(freshness.Schemes())
	own, err := k.houseSchemes(ctx, q, site)
	if err != nil {
		return nil, err
	}
	schemes = append(schemes, own...)
	lines, err := q.HouseCalibrations(ctx, store.HouseCalibrationsParams{SiteID: site, Species: sp.ID})
	if err != nil {
		return nil, fmt.Errorf("loading calibrations: %w", err)
	}
	for _, row := range lines {
		i := slices.IndexFunc(schemes, func(s freshness.Scheme) bool { return s.ID == row.Scheme })
		if i < 0 {
			continue
		}
		var c freshness.Calibration
		if err := json.Unmarshal(row.Data, &c); err != nil {
			return nil, fmt.Errorf("calibration of %s for %s: %w", row.Scheme, row.Species, err)
		}
		if c.Origin != "" { // an empty one goes back to the default
			schemes[i].Calibration = &c
		}
	}
	return schemes, nil
}

// HouseSchemes lists the kitchen's own schemes in their newest version.
func (k *Kitchen) HouseSchemes(ctx context.Context) ([]freshness.Scheme, error) {
	return k.houseSchemes(ctx, k.DB.Queries, ActorFrom(ctx).Site.ID)
}

func (k *Kitchen) houseSchemes(ctx context.Context, q *store.Queries, site int64) ([]freshness.Scheme, error) {
	rows, err := q.HouseSchemes(ctx, site)
	if err != nil {
		return nil, fmt.Errorf("loading house schemes: %w", err)
	}
	var list []freshness.Scheme
	for _, r := range rows {
		if r.Retired {
			continue
		}
		s, err := freshness.ParseScheme(r.Data)
		if err != nil {
			return nil, fmt.Errorf("house scheme %s: %w", r.ID, err)
		}
		list = append(list, s)
	}
	return list, nil
}

// schemeVersion returns a scheme as it was in a version: inspections keep the one
// they were made with.
func (k *Kitchen) schemeVersion(ctx context.Context, q *store.Queries, site Site, id string,
	version int) (freshness.Scheme, error) {
	if s, ok := freshness.Get(id); ok {
		return s, nil
	}
	row, err := q.HouseScheme(ctx, store.HouseSchemeParams{SiteID: site.ID, ID: id, Version: int64(version)})
	if err != nil {
		return freshness.Scheme{}, err
	}
	return freshness.ParseScheme(row.Data)
}

// ownScheme returns a house scheme in its newest version.
func (k *Kitchen) ownScheme(ctx context.Context, id string) (freshness.Scheme, error) {
	own, err := k.HouseSchemes(ctx)
	if err != nil {
		return freshness.Scheme{}, err
	}
	i := slices.IndexFunc(own, func(s freshness.Scheme) bool { return s.ID == id })
	if i < 0 {
		return freshness.Scheme{}, ErrNotFound
	}
	return own[i], nil
}

// CopyScheme makes a house scheme of one that there is, and returns its id.
// Only a manager may.
func (k *Kitchen) CopyScheme(ctx context.Context, from, name string) (string, error) {
	base, ok := freshness.Get(from)
	if !ok {
		var err error
		if base, err = k.ownScheme(ctx, from); err != nil {
			return "", err
		}
	}
	base.ID = housePrefix + NewID().String()[24:]
	base.Method, base.Version, base.Order = base.ID, 0, base.Order+100
	base.Name = strings.TrimSpace(name)
	base.Source = "house, after " + base.Source
	return base.ID, k.SaveScheme(ctx, base)
}

// SaveScheme keeps a house scheme as its next version. s.Version is the one
// that the person edited; where it has moved on since, or the scheme has a
// fault, the error is an invalid.Errors. Only a manager may.
func (k *Kitchen) SaveScheme(ctx context.Context, s freshness.Scheme) error {
	return k.putScheme(ctx, s, false)
}

// RetireScheme takes a house scheme out of the offer; inspections made with it
// keep it. Only a manager may.
func (k *Kitchen) RetireScheme(ctx context.Context, id string) error {
	own, err := k.ownScheme(ctx, id)
	if err != nil {
		return err
	}
	return k.putScheme(ctx, own, true)
}

func (k *Kitchen) putScheme(ctx context.Context, s freshness.Scheme, retired bool) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	if !strings.HasPrefix(s.ID, housePrefix) {
		return ErrNotFound // the application's own are copied, not edited
	}
	if err := s.Check(); err != nil {
		return invalid.Errors{{Field: "scheme", Message: err.Error()}}
	}
	s.Version++
	data, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		err := tx.AddHouseScheme(ctx, store.AddHouseSchemeParams{SiteID: a.Site.ID, ID: s.ID,
			Version: int64(s.Version), Data: data, Retired: retired, CreatedAt: k.Now(), PersonID: a.Person.ID})
		if store.IsDuplicate(err) {
			return invalid.Errors{{Field: "scheme",
				Message: "somebody else saved this scheme in the meantime: open it again"}}
		} else if err != nil {
			return fmt.Errorf("saving the scheme: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// KnownLot is a lot whose history may calibrate a scheme.
type KnownLot struct {
	Row
	freshness.KnownLot
	Logged float64 // share of its hours that a logger or a thermometer knew
	Sure   bool    // caught on a stated day and mostly measured: ticked unless the person says otherwise
}

// Percent is the measured share in per cent.
func (l KnownLot) Percent() float64 { return 100 * l.Logged }

// sureShare is the measured share of the hours from which a history counts as
// known (house).
const sureShare = 0.5

// KnownLots lists the inspected lots of a species with a date on the label, by the
// scheme they were inspected with.
func (k *Kitchen) KnownLots(ctx context.Context, sp species.Species, scheme string) ([]KnownLot, error) {
	a := ActorFrom(ctx)
	list, err := k.DB.BoardOfSpecies(ctx, store.BoardOfSpeciesParams{SiteID: a.Site.ID, Species: sp.ID})
	if err != nil {
		return nil, err
	}
	rows, err := rowsAt(a.Site.Catalogue(), list, k.Now())
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(rows))
	for n, r := range rows {
		ids[n] = r.LotID
	}
	states, err := k.states(ctx, k.DB.Queries, a.Site, ids...)
	if err != nil {
		return nil, err
	}
	w, err := k.environmentFor(ctx, k.DB.Queries, a.Site, states)
	if err != nil {
		return nil, err
	}
	var known []KnownLot
	for n, s := range states {
		i, ok := s.Inspection()
		if !ok || i.Scheme != scheme || !s.Received.LabelDate.Known() {
			continue
		}
		claimed, measured := assess.DeclaredAgeAt(s, w.Env, i.At)
		if claimed == nil {
			continue
		}
		known = append(known, KnownLot{Row: rows[n],
			KnownLot: freshness.KnownLot{Days: claimed.Days, SD: claimed.SD, Index: i.Reading.Index}, Logged: measured,
			Sure: s.Received.LabelDate.Means == freshness.Caught && measured >= sureShare})
	}
	return known, nil
}

// Calibrate fits the line of a scheme for a species to lots of known history
// and keeps it; no lots go back to the default. Only a manager may. What is wrong with
// the fit is an invalid.Errors.
func (k *Kitchen) Calibrate(ctx context.Context, sp species.Species, scheme string, codes []string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	known, err := k.KnownLots(ctx, sp, scheme)
	if err != nil {
		return err
	}
	schemes, err := k.Schemes(ctx, sp)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(schemes, func(s freshness.Scheme) bool { return s.ID == scheme })
	if i < 0 || schemes[i].Calibration == nil {
		return ErrNotFound
	}
	var line freshness.Calibration
	if len(codes) > 0 {
		var lots []freshness.KnownLot
		for _, l := range known {
			if slices.Contains(codes, l.Code) {
				lots = append(lots, l.KnownLot)
			}
		}
		if line, err = schemes[i].Fit(sp.ShelfLife, lots); err != nil {
			return invalid.Errors{{Field: "lots", Message: err.Error()}}
		}
	}
	data, err := json.Marshal(line)
	if err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		err := tx.AddHouseCalibration(ctx, store.AddHouseCalibrationParams{SiteID: a.Site.ID, Scheme: scheme,
			Species: sp.ID, CreatedAt: k.Now(), Data: data, PersonID: a.Person.ID})
		if err != nil {
			return fmt.Errorf("saving the calibration: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
