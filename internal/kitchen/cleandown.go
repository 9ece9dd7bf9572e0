package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// BenchState is what the chopping boards have met since they were cleaned down.
type BenchState struct {
	At     time.Time // of the last clean-down; zero for none
	Person string
	Met    []string // species cut since
	// allergens that a menu names, of what was cut since
	Allergens []string
}

// cleanSince is how far back cuts are looked for where the bench was never cleaned down.
const cleanSince = 24 * time.Hour

// Bench says what the boards have met since the last clean-down.
func (k *Kitchen) Bench(ctx context.Context) (BenchState, error) {
	site := ActorFrom(ctx).Site
	var b BenchState
	last, err := k.DB.LastCleanDown(ctx, site.ID)
	if err != nil {
		return b, fmt.Errorf("loading the last clean-down: %w", err)
	}
	since := k.Now().Add(-cleanSince)
	if len(last) > 0 {
		b.At, b.Person = last[0].At, last[0].Person
		if b.At.After(since) {
			since = b.At
		}
	}
	cuts, err := k.Cuts(ctx, since)
	if err != nil {
		return b, err
	}
	c := site.Catalogue()
	for _, cut := range cuts {
		sp, _ := c.Get(cut.Species)
		if !slices.Contains(b.Met, sp.Name) {
			b.Met = append(b.Met, sp.Name)
		}
		if a := sp.Allergen(); !slices.Contains(b.Allergens, a) {
			b.Allergens = append(b.Allergens, a)
		}
	}
	return b, nil
}

// Asks is why the boards are to be cleaned down before something of a species is cut, or goes where it is eaten raw; ""
// where they need not be.
func (b BenchState) Asks(sp species.Species, raw bool) string {
	for _, a := range b.Allergens {
		if a != sp.Allergen() {
			return fmt.Sprintf("the boards met %s since the last clean-down: another allergen", a)
		}
	}
	if raw && len(b.Met) > 0 && !slices.Equal(b.Met, []string{sp.Name}) {
		return "the boards met other fish since the last clean-down, and this is to be eaten raw"
	}
	return ""
}

// CleanDown writes that the bench was cleaned down, once for an id.
func (k *Kitchen) CleanDown(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.AddCleanDown(ctx, store.AddCleanDownParams{SiteID: a.Site.ID, ID: id, At: k.Now(), PersonID: a.Person.ID}); err != nil {
			return fmt.Errorf("writing the clean-down: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
