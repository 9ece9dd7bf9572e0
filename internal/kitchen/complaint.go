package kitchen

import (
	"context"
	"encoding/hex"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/photo"
	"leancatch/internal/store"
)

// NewPhoto is a photo to be added to a lot.
type NewPhoto struct {
	EventID uuid.UUID
	LotID   uuid.UUID
	At      time.Time
	Caption string
	Photo   photo.Photo
}

// AddPhoto keeps a photo with its event. A photo sent twice is one. Its errors
// are those of Append.
func (k *Kitchen) AddPhoto(ctx context.Context, in NewPhoto) error {
	return k.change(ctx, func(c *change) error {
		w := Write{EventID: in.EventID, LotID: in.LotID, HappenedAt: in.At}
		l, err := c.openOne(ctx, w)
		if err != nil || l == nil {
			return err
		}
		id, err := k.putPhoto(ctx, c.Tx, in.Photo)
		if err != nil {
			return err
		}
		w.Payload = lot.Photographed{PhotoID: id, SHA256: hex.EncodeToString(in.Photo.SHA256[:]), Caption: in.Caption}
		return c.append(ctx, l, w)
	})
}

func (k *Kitchen) putPhoto(ctx context.Context, tx *store.Tx, p photo.Photo) (uuid.UUID, error) {
	a, id := ActorFrom(ctx), NewID()
	err := tx.AddPhoto(ctx, store.AddPhotoParams{SiteID: a.Site.ID, ID: id, CreatedAt: k.Now(), PersonID: a.Person.ID,
		Width: int64(p.Width), Height: int64(p.Height), Sha256: p.SHA256[:], Jpeg: p.JPEG, Thumb: p.Thumb})
	if err != nil {
		return id, fmt.Errorf("keeping the photo: %w", err)
	}
	return id, nil
}

// Photo returns a photo of the site as JPEG, small or as it is kept.
func (k *Kitchen) Photo(ctx context.Context, id uuid.UUID, small bool) ([]byte, error) {
	site := ActorFrom(ctx).Site.ID
	if small {
		return k.DB.PhotoThumb(ctx, store.PhotoThumbParams{SiteID: site, ID: id})
	}
	return k.DB.PhotoJPEG(ctx, store.PhotoJPEGParams{SiteID: site, ID: id})
}

// Complaint is all that the paper of a complaint says.
type Complaint struct {
	lot.ComplaintMade
	Card
	Actor   Actor
	Person  string
	Hash    string // of the event, so that the paper can be held against the record
	Refused *Entry // how it was refused; nil where it was not
	Checked *lot.CheckMade
	Read    *lot.Inspection
	Photos  [][]byte // JPEG
}

// Complaint gathers a complaint for its paper.
func (k *Kitchen) Complaint(ctx context.Context, lotID, eventID uuid.UUID) (Complaint, error) {
	card, err := k.Card(ctx, lotID)
	if err != nil {
		return Complaint{}, err
	}
	i := slices.IndexFunc(card.State.Complaints, func(c lot.ComplaintMade) bool { return c.EventID == eventID })
	if i < 0 {
		return Complaint{}, ErrNotFound
	}
	c := Complaint{ComplaintMade: card.State.Complaints[i], Card: card, Actor: ActorFrom(ctx)}
	for i, e := range card.Entries {
		if e.ID == eventID {
			c.Person, c.Hash = e.Person, hex.EncodeToString(e.Hash)
		}
		if e.Kind == lot.KindFor[lot.Refused]() && card.State.Voids[e.ID] == nil {
			c.Refused = &card.Entries[i]
		}
	}
	if n := len(card.State.Checks); n > 0 {
		c.Checked = &card.State.Checks[n-1]
	}
	if last, ok := card.State.Inspection(); ok {
		c.Read = &last
	}
	for _, id := range c.ComplaintMade.Photos {
		data, err := k.Photo(ctx, id, false)
		if err != nil {
			return Complaint{}, fmt.Errorf("photo %s: %w", id, err)
		}
		c.Photos = append(c.Photos, data)
	}
	return c, nil
}
