package kitchen

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// Note is what one shift leaves to the next.
type Note struct{ store.HandoversRow }

// notesKept is for how long a note is shown that was read.
const notesKept = 24 * time.Hour

// Notes lists what the shifts before left, the newest first: what nobody has read yet, and the last day.
func (k *Kitchen) Notes(ctx context.Context) ([]Note, error) {
	rows, err := k.DB.Handovers(ctx, store.HandoversParams{SiteID: ActorFrom(ctx).Site.ID, Since: k.Now().Add(-notesKept)})
	return mapped(rows, err, func(r store.HandoversRow) Note { return Note{r} })
}

// LeaveNote leaves a note to the next shift. Its errors are on the field text.
func (k *Kitchen) LeaveNote(ctx context.Context, id uuid.UUID, text string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	if text = strings.TrimSpace(text); text == "" || invalid.TooLong(text, 1000) {
		return invalid.Errors{{Field: "text", Message: "say what the next shift has to know, in at most 1000 characters"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.AddHandover(ctx, store.AddHandoverParams{SiteID: a.Site.ID, ID: id, At: k.Now(), PersonID: a.Person.ID, Text: text}); err != nil {
			return fmt.Errorf("leaving the note: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// ReadNote notes who has read a note; the first who did stays.
func (k *Kitchen) ReadNote(ctx context.Context, id uuid.UUID) error {
	a, now := ActorFrom(ctx), k.Now()
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.ReadHandover(ctx, store.ReadHandoverParams{SiteID: a.Site.ID, ID: id, ReadAt: &now, ReadBy: &a.Person.ID}); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
