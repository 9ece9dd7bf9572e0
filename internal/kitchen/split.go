package kitchen

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
)

// NewSplit is a lot to be split. LotID and Code of the parts are filled in here.
type NewSplit struct {
	EventID    uuid.UUID
	LotID      uuid.UUID
	Seen       int
	HappenedAt time.Time
	Parts      []lot.SplitLot
}

// Split ends a lot and begins one for each of its parts, with its clocks; parts
// that are refused leave at once. A part whose fish were inspected is judged
// again by those alone. All of it is one transaction; the errors are those of
// Append.
func (k *Kitchen) Split(ctx context.Context, in NewSplit) error {
	return k.change(ctx, func(c *change) error {
		l, err := c.openOne(ctx, Write{EventID: in.EventID, LotID: in.LotID, Seen: in.Seen})
		if err != nil || l == nil {
			return err
		}
		_, err = c.split(ctx, l, in)
		return err
	})
}

// split ends a lot and returns the lots of its parts, in their order.
func (c *change) split(ctx context.Context, l *changedLot, in NewSplit) ([]*changedLot, error) {
	before := l.state
	for i := range in.Parts {
		var err error
		if in.Parts[i].LotID, in.Parts[i].Code, err = c.newNumber(ctx); err != nil {
			return nil, err
		}
	}
	if err := c.append(ctx, l, Write{EventID: in.EventID, HappenedAt: in.HappenedAt,
		Payload: lot.Split{Parts: in.Parts}}); err != nil {
		return nil, err
	}
	judged, err := c.splitInspection(ctx, before)
	if err != nil {
		return nil, err
	}
	parts := make([]*changedLot, len(in.Parts))
	for i, part := range in.Parts {
		inspected, err := judged(part)
		if err != nil {
			return nil, err
		}
		first := lot.Inherit(before, l.head.HeadHash, part, inspected)
		first.CostCents = before.CostShare(part, in.Parts)
		if parts[i], err = c.add(ctx, part.LotID, part.Code, first.Received.DeliveryID); err != nil {
			return nil, err
		}
		writes := []Write{{EventID: NewID(), HappenedAt: in.HappenedAt, Payload: first}}
		if part.Refused != "" {
			writes = append(writes, Write{EventID: NewID(), HappenedAt: in.HappenedAt,
				Payload: lot.Refused{Reason: part.Refused}})
		}
		if err := c.append(ctx, parts[i], writes...); err != nil {
			return nil, err
		}
	}
	return parts, nil
}

// splitOff lets some of a lot go on as another and returns that; its code and id are made here. What is left keeps the
// name of the lot.
func (c *change) splitOff(ctx context.Context, l *changedLot, w Write, count int, kg float64) (*changedLot, error) {
	off := lot.SplitOff{Count: count, WeightKg: kg}
	var err error
	if off.LotID, off.Code, err = c.newNumber(ctx); err != nil {
		return nil, err
	}
	w.Payload = off
	before := l.state
	if err := c.append(ctx, l, w); err != nil {
		return nil, err
	}
	first := lot.Inherit(before, l.head.HeadHash, off.Part(), nil)
	first.CostCents = before.CostCents - l.state.CostCents
	part, err := c.add(ctx, off.LotID, off.Code, first.Received.DeliveryID)
	if err != nil {
		return nil, err
	}
	return part, c.append(ctx, part, Write{EventID: uuid.NewSHA1(w.EventID, []byte("part")), HappenedAt: w.HappenedAt, Payload: first})
}

// splitInspection returns what the last inspection of a lot would have been of a
// part's own fish: nil where none of them was seen. A refused part keeps the
// hold until it leaves.
func (c *change) splitInspection(ctx context.Context, s *lot.State) (func(lot.SplitLot) (*lot.Inspected, error),
	error) {
	last, ok := s.Inspection()
	if !ok {
		return func(lot.SplitLot) (*lot.Inspected, error) { return nil, nil }, nil
	}
	scheme, err := c.k.schemeVersion(ctx, c.Queries, c.a.Site, last.Scheme, last.SchemeVersion)
	if err != nil {
		return nil, fmt.Errorf("scheme %s, version %d: %w", last.Scheme, last.SchemeVersion, err)
	}
	if err := c.load(ctx, last.At, s); err != nil {
		return nil, err
	}
	declared, _ := assess.DeclaredAgeAt(s, c.env.Env, last.At)
	clock := assess.Assess(s, c.env.Env, c.env.Now).Histamine
	return func(part lot.SplitLot) (*lot.Inspected, error) {
		if len(part.Fish) == 0 {
			return nil, nil
		}
		seen := last.Of(part.Fish)
		var err error
		if seen.Reading, seen.Proposed, err = assess.Judge(s, c.a.Profile(), assess.Seen{Scheme: scheme, Fish: seen.Fish}, 0, declared, clock); err != nil {
			return nil, err
		}
		seen.Decision, seen.Reason, seen.ByManager = seen.Proposed.Decision, "", false
		if part.Refused != "" && seen.Decision == freshness.Refuse {
			seen.Decision = freshness.Hold // it is refused by the event that follows
		}
		return &seen, nil
	}, nil
}
