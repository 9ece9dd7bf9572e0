package kitchen

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// BoatsIn is a time in which the boats of an area stayed in, by storm or by law; To is nil while they do.
type BoatsIn struct{ store.BoatsIn }

// Holds reports whether a time lies in it.
func (b BoatsIn) Holds(at time.Time) bool {
	return !at.Before(b.FromAt) && (b.ToAt == nil || at.Before(*b.ToAt))
}

// BoatsStayedIn lists the times since one in which boats stayed in, the newest first.
func (k *Kitchen) BoatsStayedIn(ctx context.Context, since time.Time) ([]BoatsIn, error) {
	rows, err := k.DB.BoatsIn(ctx, store.BoatsInParams{SiteID: ActorFrom(ctx).Site.ID, Since: &since})
	return mapped(rows, err, func(r store.BoatsIn) BoatsIn { return BoatsIn{r} })
}

// LastArea is the area that was named last; "" for none.
func (k *Kitchen) LastArea(ctx context.Context) (string, error) {
	area, err := k.DB.LastBoatsIn(ctx, ActorFrom(ctx).Site.ID)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return area, err
}

// BoatsStayIn notes that the boats of an area stay in from the beginning of today on. Its errors are on the
// field area.
func (k *Kitchen) BoatsStayIn(ctx context.Context, id uuid.UUID, area string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	if area = strings.TrimSpace(area); area == "" || invalid.TooLong(area, 80) {
		return invalid.Errors{{Field: "area", Message: "name the area, in at most 80 characters"}}
	}
	local := k.Now().In(a.Zone())
	from := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, a.Zone())
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.BoatsStayIn(ctx, store.BoatsStayInParams{SiteID: a.Site.ID, ID: id, Area: area, FromAt: from, PersonID: a.Person.ID}); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// BoatsOutAgain notes that they went out again.
func (k *Kitchen) BoatsOutAgain(ctx context.Context, id uuid.UUID) error {
	at := k.Now()
	return k.endBoatsIn(ctx, func(tx *store.Tx, site int64) error {
		_, err := tx.BoatsOutAgain(ctx, store.BoatsOutAgainParams{SiteID: site, ID: id, At: &at})
		return err
	})
}

// BoatsWereOut takes back that they stayed in: the note stays, with no time in it.
func (k *Kitchen) BoatsWereOut(ctx context.Context, id uuid.UUID) error {
	return k.endBoatsIn(ctx, func(tx *store.Tx, site int64) error {
		_, err := tx.BoatsNotIn(ctx, store.BoatsNotInParams{SiteID: site, ID: id})
		return err
	})
}

func (k *Kitchen) endBoatsIn(ctx context.Context, end func(tx *store.Tx, site int64) error) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := end(tx, a.Site.ID); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
