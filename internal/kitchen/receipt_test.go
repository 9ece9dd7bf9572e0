package kitchen_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"image"
	"image/jpeg"
	"math"
	"testing"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/photo"
)

// An order waits until its delivery comes; sent twice it is one, and a line of
// the delivery knows how it was ordered.
func TestAnOrderWaitsForItsDelivery(t *testing.T) {
	b := newBench(t)
	o := kitchen.Order{ID: kitchen.NewID(), Supplier: " Fulmar Landing ", Lines: []kitchen.OrderLine{
		{SpeciesID: "cod", Form: "gutted", Count: 4, Off: []lot.Trim{"gills", "scales"}, FeeCents: 450,
			Note: "tails long"}, {SpeciesID: "herring", Form: "whole", WeightKg: 12}}}
	b.must(b.PlaceOrder(b.ctx, o))
	b.must(b.PlaceOrder(b.ctx, o))
	open, err := b.OpenOrders(b.ctx)
	b.must(err)
	if len(open) != 1 || open[0].Supplier != "Fulmar Landing" || len(open[0].Lines) != 2 ||
		len(open[0].Lines[0].Off) != 2 {
		t.Fatalf("open orders %+v", open)
	}
	line := b.line("cod")
	line.Ordered = open[0].Ordered(0)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Fulmar Landing", ArrivedAt: b.now, OrderID: o.ID,
		Lines: []lot.Received{line}}
	b.must(b.Receive(b.ctx, d))
	if open, _ = b.OpenOrders(b.ctx); len(open) != 0 {
		t.Errorf("%d orders are still open", len(open))
	}
	docket, err := b.DeliveryNote(b.ctx, d.ID)
	b.must(err)
	card, err := b.Card(b.ctx, docket.Rows[0].LotID)
	b.must(err)
	if got := card.State.Received.Ordered; got == nil || got.OrderID != o.ID || got.FeeCents != 450 ||
		got.Note != "tails long" || got.Off[1] != "scales" {
		t.Errorf("the lot was ordered as %+v", got)
	}
	if o.Ordered(7) != nil || o.Ordered(-1) != nil {
		t.Error("a line that is not, was ordered")
	}
	for field, spoil := range map[string]func(*kitchen.Order){
		"supplier":           func(o *kitchen.Order) { o.Supplier = " " },
		"lines":              func(o *kitchen.Order) { o.Lines = nil },
		"lines[0].species":   func(o *kitchen.Order) { o.Lines[0].SpeciesID = "unicorn" },
		"lines[0].form":      func(o *kitchen.Order) { o.Lines[0].Form = "soup" },
		"lines[0].count":     func(o *kitchen.Order) { o.Lines[0].Count = 0 },
		"lines[0].weight_kg": func(o *kitchen.Order) { o.Lines[0].WeightKg = math.NaN() },
		"lines[0].off":       func(o *kitchen.Order) { o.Lines[0].Off = []lot.Trim{"wings"} },
		"lines[0].fee":       func(o *kitchen.Order) { o.Lines[0].FeeCents = -1 },
	} {
		bad := kitchen.Order{ID: kitchen.NewID(), Supplier: "x",
			Lines: []kitchen.OrderLine{{SpeciesID: "cod", Form: "whole", Count: 1}}}
		spoil(&bad)
		var fields invalid.Errors
		if err := b.PlaceOrder(b.ctx, bad); !errors.As(err, &fields) || fields.On(field) == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	if open, _ = b.OpenOrders(b.ctx); len(open) != 0 {
		t.Error("a bad order was kept")
	}
}

// A photo's event carries the hash of what is kept, the photo itself cannot be
// changed, and the claim finds it after the lot has left.
func TestPhotosAreEvidence(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod")
	var file bytes.Buffer
	b.must(jpeg.Encode(&file, image.NewRGBA(image.Rect(0, 0, 80, 60)), nil))
	picture, err := photo.Prepare(&file)
	b.must(err)
	in := kitchen.NewPhoto{EventID: kitchen.NewID(), LotID: rows[0].LotID, At: b.now, Caption: "gills", Photo: picture}
	b.must(b.AddPhoto(b.ctx, in))
	b.must(b.AddPhoto(b.ctx, in))
	card, err := b.Card(b.ctx, rows[0].LotID)
	b.must(err)
	if len(card.State.Photos) != 1 {
		t.Fatalf("%d photos, want 1", len(card.State.Photos))
	}
	taken := card.State.Photos[0]
	kept, err := b.Photo(b.ctx, taken.PhotoID, false)
	b.must(err)
	if sum := sha256.Sum256(kept); hex.EncodeToString(sum[:]) != taken.SHA256 {
		t.Error("the event's hash is not that of the picture")
	}
	if small, err := b.Photo(b.ctx, taken.PhotoID, true); err != nil || bytes.Equal(small, kept) && len(small) == 0 {
		t.Errorf("no thumbnail: %v", err)
	}
	if _, err := b.DB.Pool.Exec(b.ctx, "update photo set jpeg = ''"); err == nil {
		t.Error("a photo was changed")
	}
	b.must(b.Append(b.ctx, b.write(rows[0].LotID, lot.Refused{Reason: "soft"})))
	b.now = b.now.Add(time.Hour)
	claim := lot.Complaint{Number: "X/1", WeightKg: 6.4, Remedy: "credit", Reasons: []string{"soft"}}
	claim.Photos = append(claim.Photos, taken.PhotoID)
	w := b.write(rows[0].LotID, claim)
	b.must(b.Append(b.ctx, w))
	paper, err := b.Complaint(b.ctx, rows[0].LotID, w.EventID)
	b.must(err)
	if len(paper.Photos) != 1 || !bytes.Equal(paper.Photos[0], kept) || paper.Person != "Bo" ||
		paper.DeliveryNote.Supplier != "Fulmar Landing" || len(paper.Hash) != 64 {
		t.Errorf("the paper has %d photos, by %s, for %s", len(paper.Photos), paper.Person, paper.DeliveryNote.Supplier)
	}
	if _, err := b.Complaint(b.ctx, rows[0].LotID, in.EventID); !errors.Is(err, kitchen.ErrNotFound) {
		t.Errorf("a photo is no claim: %v", err)
	}
	late := in
	late.EventID, late.LotID = kitchen.NewID(), kitchen.NewID()
	if err := b.AddPhoto(b.ctx, late); !errors.Is(err, kitchen.ErrNotFound) {
		t.Errorf("a photo of a lot that is not: %v", err)
	}
}
