package demo

import (
	"context"
	"fmt"
	"time"

	"leancatch/internal/core/remark"
	"leancatch/internal/kitchen"
)

// remarks has guests of the last days say something of what they ate.
func (w *builder) remarks(ctx context.Context) error {
	ctx = w.as(ctx, "Ansa")
	w.k.Now = func() time.Time { return w.start }
	lots, err := w.k.LotsServed(ctx)
	if err != nil {
		return err
	}
	for i, said := range []struct {
		word remark.Word
		note string
	}{{remark.Dry, "“like cotton wool”, table 6"}, {remark.Bone, "a child at table 2"}, {remark.Strong, "left half of it"}} {
		if i >= len(lots) {
			break
		}
		w.k.Now = func() time.Time { return lots[i].Last.Add(time.Hour) }
		if err := w.k.AddRemark(ctx, kitchen.NewRemark{ID: kitchen.NewID(), LotID: lots[i].LotID, Word: said.word, ServedAt: lots[i].Last,
			Note: said.note}); err != nil {
			return fmt.Errorf("%s: %w", said.word, err)
		}
	}
	return nil
}
