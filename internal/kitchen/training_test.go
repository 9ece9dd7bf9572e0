package kitchen_test

import (
	"bytes"
	"errors"
	"image"
	"image/jpeg"
	"testing"
	"time"

	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
	"leancatch/internal/photo"
)

// The last picture of a step counts; taken away there is none, and the card is as it was.
func TestPicturesOfACard(t *testing.T) {
	b := newBench(t)
	card := cutting.Cards()[0]
	picture := func(w int) *photo.Photo {
		var file bytes.Buffer
		b.must(jpeg.Encode(&file, image.NewRGBA(image.Rect(0, 0, w, 60)), nil))
		p, err := photo.Prepare(&file)
		b.must(err)
		return &p
	}
	set := func(step int, p *photo.Photo) kitchen.NewCardPhoto {
		b.now = b.now.Add(time.Minute)
		in := kitchen.NewCardPhoto{ID: kitchen.NewID(), Card: card.ID, Step: step, Photo: p}
		b.must(b.SetCardPhoto(b.ctx, in))
		b.must(b.SetCardPhoto(b.ctx, in)) // sent twice
		return in
	}
	set(0, picture(80))
	set(2, picture(90))
	first, err := b.CardPhotos(b.ctx, card.ID)
	b.must(err)
	set(2, picture(100))
	set(0, nil)
	last, err := b.CardPhotos(b.ctx, card.ID)
	b.must(err)
	if len(first) != 2 || len(last) != 1 || last[2] == first[2] {
		t.Errorf("first %v, last %v", first, last)
	}
	var photos int
	b.must(b.DB.Pool.QueryRow(b.ctx, "select count(*) from photo").Scan(&photos))
	if photos != 3 {
		t.Errorf("%d pictures are kept", photos)
	}
	var bad invalid.Errors
	if err := b.SetCardPhoto(b.ctx, kitchen.NewCardPhoto{ID: kitchen.NewID(), Card: card.ID, Step: len(card.Steps)}); !errors.As(err, &bad) || bad.On("step") == "" {
		t.Errorf("a step that there is not: %v", err)
	}
}
