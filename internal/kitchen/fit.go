package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/lot"
)

// FitLot is a lot on hand with what it may be served for at an hour.
type FitLot struct {
	Row
	Raw, Cook assess.Use
}

// FitAt answers what each lot on hand may be served for at an hour that is still to come,
// if it is kept where it lies: its clocks run on till then. The lots that end first come
// first.
func (k *Kitchen) FitAt(ctx context.Context, at time.Time) ([]FitLot, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.rowsOnHand(ctx)
	if err != nil {
		return nil, fmt.Errorf("loading the lots on hand: %w", err)
	}
	slices.SortStableFunc(rows, usedFirst)
	ids := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		ids[i] = r.LotID
	}
	if len(ids) == 0 {
		return nil, nil
	}
	states, err := k.states(ctx, k.DB.Queries, site, ids...)
	if err != nil {
		return nil, err
	}
	byID := map[uuid.UUID]*lot.State{}
	for _, s := range states {
		byID[s.ID] = s
	}
	w, err := k.environmentFor(ctx, k.DB.Queries, site, states)
	if err != nil {
		return nil, err
	}
	var list []FitLot
	for _, r := range rows {
		s := byID[r.LotID]
		if s == nil {
			continue // it left meanwhile
		}
		uses := assess.Fitness(s, assess.Assess(s, w.Env, at))
		list = append(list, FitLot{r, assess.UseFor(uses, lot.GateRaw), assess.UseFor(uses, lot.GateCook)})
	}
	return list, nil
}
