package kitchen

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
)

// Undo cancels events that were just written, by lot, all or none. An event that is
// cancelled already stays so.
func (k *Kitchen) Undo(ctx context.Context, events map[uuid.UUID]uuid.UUID) error {
	return k.change(ctx, func(c *change) error {
		var writes []Write
		for id, event := range events {
			undo := uuid.NewSHA1(event, []byte("undo")) // sent twice, it counts once
			writes = append(writes, Write{EventID: undo, LotID: id, HappenedAt: k.Now(),
				Payload: lot.Voided{EventID: event, Reason: "undone at once"}})
		}
		lots, err := c.open(ctx, writes...)
		if err != nil {
			return err
		}
		for i, l := range lots {
			if l == nil {
				continue
			}
			if err := c.append(ctx, l, writes[i]); err != nil {
				return fmt.Errorf("lot %s: %w", l.state.Received.Code, err)
			}
		}
		return nil
	})
}
