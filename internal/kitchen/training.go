package kitchen

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/photo"
	"leancatch/internal/store"
)

// Trained is what a person was shown on a cutting card, and since when they do it alone.
type Trained struct {
	Person  string
	ShownBy string
	ShownAt time.Time // the first time; zero for never
	AloneAt time.Time // the first time; zero for not yet
}

// Training is who knows the cards, by card, those who began first on top.
func (k *Kitchen) Training(ctx context.Context) (map[string][]Trained, error) {
	rows, err := k.DB.Training(ctx, ActorFrom(ctx).Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading the training: %w", err)
	}
	names, err := k.Names(ctx)
	if err != nil {
		return nil, err
	}
	of := map[string][]Trained{}
	for i := len(rows) - 1; i >= 0; i-- { // the first first
		r, list := rows[i], of[rows[i].Card]
		n := 0
		for n < len(list) && list[n].Person != names[r.PersonID] {
			n++
		}
		if n == len(list) {
			list = append(list, Trained{Person: names[r.PersonID]})
		}
		switch {
		case r.ShownBy != nil && list[n].ShownAt.IsZero():
			list[n].ShownBy, list[n].ShownAt = names[*r.ShownBy], r.At
		case r.ShownBy == nil && list[n].AloneAt.IsZero():
			list[n].AloneAt = r.At
		}
		of[r.Card] = list
	}
	return of, nil
}

// NewTraining says that a person was shown a card by another, or does it alone.
type NewTraining struct {
	ID       uuid.UUID
	Card     string
	PersonID int64
	ShownBy  int64 // 0: they do it alone
}

// Train writes it down, once for an id. Errors are on the fields card, person_id and shown_by.
func (k *Kitchen) Train(ctx context.Context, in NewTraining) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	names, err := k.Names(ctx)
	if err != nil {
		return err
	}
	var bad invalid.Errors
	if _, ok := cutting.GetCard(in.Card); !ok {
		bad.Add("card", "is not known")
	}
	if names[in.PersonID] == "" {
		bad.Add("person_id", "say who")
	}
	if in.ShownBy != 0 && (names[in.ShownBy] == "" || in.ShownBy == in.PersonID) {
		bad.Add("shown_by", "say who showed it: somebody else")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	row := store.AddTrainingParams{SiteID: a.Site.ID, ID: in.ID, Card: in.Card, PersonID: in.PersonID, At: k.Now()}
	if in.ShownBy != 0 {
		row.ShownBy = &in.ShownBy
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.AddTraining(ctx, row); err != nil {
			return fmt.Errorf("writing the training: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// CardPhotos are the kitchen's own pictures of the steps of a cutting card, by step from 0 on.
func (k *Kitchen) CardPhotos(ctx context.Context, card string) (map[int]uuid.UUID, error) {
	rows, err := k.DB.CardPhotos(ctx, store.CardPhotosParams{SiteID: ActorFrom(ctx).Site.ID, Card: card})
	if err != nil {
		return nil, fmt.Errorf("loading the pictures of a card: %w", err)
	}
	list := map[int]uuid.UUID{}
	for _, r := range rows {
		if r.PhotoID != nil {
			list[int(r.Step)] = *r.PhotoID
		}
	}
	return list, nil
}

// NewCardPhoto is a picture of a step of a cutting card, from 0 on; a nil picture takes the one that is there away.
type NewCardPhoto struct {
	ID    uuid.UUID
	Card  string
	Step  int
	Photo *photo.Photo
}

// SetCardPhoto keeps it, once for an id. Errors are on the field step.
func (k *Kitchen) SetCardPhoto(ctx context.Context, in NewCardPhoto) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	if card, ok := cutting.GetCard(in.Card); !ok || in.Step < 0 || in.Step >= len(card.Steps) {
		return invalid.Errors{{Field: "step", Message: "choose a step"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if there, err := tx.HasCardPhoto(ctx, store.HasCardPhotoParams{SiteID: a.Site.ID, ID: in.ID}); err != nil || there {
			return err // sent twice, it counts once
		}
		row := store.AddCardPhotoParams{SiteID: a.Site.ID, ID: in.ID, Card: in.Card, Step: int64(in.Step), PersonID: a.Person.ID, At: k.Now()}
		if in.Photo != nil {
			id, err := k.putPhoto(ctx, tx, *in.Photo)
			if err != nil {
				return err
			}
			row.PhotoID = &id
		}
		if err := tx.AddCardPhoto(ctx, row); err != nil {
			return fmt.Errorf("keeping the picture of a step: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
