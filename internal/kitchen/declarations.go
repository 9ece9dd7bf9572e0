package kitchen

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// DeclarationEntry is a supplier's paper on parasites as the list shows it.
type DeclarationEntry struct {
	store.LettersRow
	Species species.Species
	KeepTo  time.Time // at least: after its last day
}

// DeclarationKind is what it states.
func (l DeclarationEntry) DeclarationKind() assess.DeclarationKind {
	return assess.DeclarationKind(l.Kind)
}

// declarations are those that stand, as the clocks take them.
func (k *Kitchen) declarations(ctx context.Context, q *store.Queries, site Site) ([]assess.Declaration, error) {
	rows, err := q.Letters(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation(site.TimeZone)
	if err != nil {
		return nil, err
	}
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, zone) }
	var list []assess.Declaration
	for _, r := range rows {
		if r.StruckAt == nil {
			list = append(list, assess.Declaration{ID: r.ID, Kind: assess.DeclarationKind(r.Kind), SupplierID: r.SupplierID,
				SpeciesID: r.Species, IssuedOn: day(r.IssuedOn), ValidTo: day(r.ValidTo), Reference: r.Reference,
				SupplierLot: r.SupplierLot, RouteC: r.RouteC, RouteHours: r.RouteHours})
		}
	}
	return list, nil
}

// Declarations lists the papers on file, the newest first.
func (k *Kitchen) Declarations(ctx context.Context) ([]DeclarationEntry, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.Letters(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	list := make([]DeclarationEntry, len(rows))
	for i, r := range rows {
		list[i] = DeclarationEntry{LettersRow: r}
		list[i].Species, _ = site.Catalogue().Get(r.Species)
	}
	return list, nil
}

// NewDeclaration is a paper to be put on file.
type NewDeclaration struct {
	ID                uuid.UUID
	SupplierID        int64
	SpeciesID         string
	Kind              assess.DeclarationKind
	Reference         string
	IssuedOn, ValidTo time.Time
	// of a freezing letter: the supplier's lot, and the core, °C, for so many hours
	SupplierLot string
	RouteC      float64
	RouteHours  float64
}

// AddDeclaration puts a paper on file; only a manager may. Its errors are on the fields
// supplier, species, kind, reference, issued, valid, supplier_lot, route_c and route_hours.
func (k *Kitchen) AddDeclaration(ctx context.Context, l NewDeclaration) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	if l.SupplierID == 0 {
		bad.Add("supplier", "choose a supplier")
	}
	if _, ok := a.Site.Catalogue().Get(l.SpeciesID); !ok {
		bad.Add("species", "is not in the catalogue")
	}
	if l.Kind.Name() == "" {
		bad.Add("kind", "say what it states")
	}
	if l.Reference = strings.TrimSpace(l.Reference); l.Reference == "" || invalid.TooLong(l.Reference, 120) {
		bad.Add("reference", "give its number and who signed it")
	}
	if l.IssuedOn.IsZero() || l.IssuedOn.After(k.Now()) {
		bad.Add("issued", "give the day on which it was issued")
	}
	if l.ValidTo.IsZero() || l.ValidTo.Before(l.IssuedOn) {
		bad.Add("valid", "give the last day, not before it was issued")
	}
	if l.SupplierLot = strings.TrimSpace(l.SupplierLot); l.Kind == assess.DeclaredFrozen {
		if l.SupplierLot == "" || invalid.TooLong(l.SupplierLot, 80) {
			bad.Add("supplier_lot", "give the supplier's lot that it names")
		}
		if !(l.RouteC >= -80 && l.RouteC <= -10) {
			bad.Add("route_c", "give the core temperature, from −80 to −10 °C")
		}
		if !(l.RouteHours > 0 && l.RouteHours <= 10000) {
			bad.Add("route_hours", "give for how many hours")
		}
	} else {
		l.SupplierLot, l.RouteC, l.RouteHours = "", 0, 0
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.AddLetter(ctx, store.AddLetterParams{SiteID: a.Site.ID, ID: l.ID, SupplierID: l.SupplierID,
			Species: l.SpeciesID, Kind: string(l.Kind), Reference: l.Reference,
			IssuedOn: l.IssuedOn, ValidTo: l.ValidTo, At: k.Now(), PersonID: a.Person.ID,
			SupplierLot: l.SupplierLot, RouteC: l.RouteC, RouteHours: l.RouteHours})
		switch {
		case store.IsMissing(err):
			return invalid.Errors{{Field: "supplier", Message: "choose a supplier"}}
		case err != nil || n == 0: // 0: the form was sent twice
			return err
		}
		return k.declarationsChanged(ctx, tx, a, l.SupplierID, l.SpeciesID)
	})
}

// CancelDeclaration cancels a paper that was wrong; only a manager may.
func (k *Kitchen) CancelDeclaration(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		now := k.Now()
		rows, err := tx.Letters(ctx, a.Site.ID)
		if err != nil {
			return err
		}
		for _, r := range rows {
			if r.ID != id {
				continue
			}
			if _, err := tx.StrikeLetter(ctx, store.StrikeLetterParams{SiteID: a.Site.ID, ID: id, StruckAt: &now,
				StruckBy: &a.Person.ID}); err != nil {
				return err
			}
			return k.declarationsChanged(ctx, tx, a, r.SupplierID, r.Species)
		}
		return ErrNotFound
	})
}

// declarationsChanged assesses the lots again that a paper covers.
func (k *Kitchen) declarationsChanged(ctx context.Context, tx *store.Tx, a Actor, supplier int64,
	speciesID string) error {
	if err := k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool {
		return b.SupplierID == supplier && b.Species == speciesID
	}); err != nil {
		return err
	}
	return tx.Changed(ctx, a.Site.ID)
}
