package kitchen

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// WhatIf is what each place would make of some lots.
type WhatIf struct {
	Service time.Time
	Lots    []WhatIfLot
}

// WhatIfLot is one of them.
type WhatIfLot struct {
	Row
	Assessment assess.Assessment
	Here       int64 // the place where it lies
	Outcomes   []assess.Outcome
}

// mostWhatIf bounds how many lots are followed at once.
const mostWhatIf = 40

// WhatIf follows lots through all the places where fish may be kept, in ice and
// in slurry, up to an hour of service.
func (k *Kitchen) WhatIf(ctx context.Context, ids []uuid.UUID, service time.Time) (WhatIf, error) {
	a := ActorFrom(ctx)
	out := WhatIf{Service: service}
	if len(ids) == 0 || len(ids) > mostWhatIf {
		return out, invalid.Errors{{Field: "lots", Message: fmt.Sprintf("choose between 1 and %d lots", mostWhatIf)}}
	}
	q := k.DB.Queries
	states, err := k.states(ctx, q, a.Site, ids...)
	if err != nil {
		return out, err
	}
	w, err := k.environmentFor(ctx, q, a.Site, states)
	if err != nil {
		return out, err
	}
	options, err := k.options(ctx)
	if err != nil {
		return out, err
	}
	for _, s := range states {
		row, err := k.Row(ctx, s.ID)
		if err != nil {
			return out, err
		}
		account := assess.Assess(s, w.Env, w.Now)
		here := s.Place()
		var free []assess.Option
		for _, o := range options {
			if o.PlaceID == here {
				o.RoomKg = nil // it lies there already
			}
			if o.Cold || o.PlaceID == here {
				free = append(free, o)
			}
		}
		out.Lots = append(out.Lots, WhatIfLot{Row: row, Assessment: account, Here: here,
			Outcomes: account.WhatIf(service, free)})
	}
	return out, nil
}

// options are the places with how cold they are, by the best that is known, then
// ice and slurry. Among them are those that are not cold: fish may lie there now.
func (k *Kitchen) options(ctx context.Context) ([]assess.Option, error) {
	places, err := k.Places(ctx)
	if err != nil {
		return nil, err
	}
	now := k.Now()
	var list []assess.Option
	for _, p := range places {
		if p.Holds == lot.HoldsReady { // raw fish does not go there
			continue
		}
		o := assess.Option{Name: p.Name, PlaceID: p.ID, Boundary: p.Boundary(), Frozen: p.Freezer(), Ageing: p.AgeingCabinet(),
			RoomKg: p.RoomKg(), Cold: p.Cold()}
		switch mean, ok := meanOf(p.Trace); {
		case p.Box != nil && p.Ice.Left(now) > 0:
			boxed := assess.InIce()[0]
			o.Celsius, o.Boundary, o.Basis = boxed.Celsius, boxed.Boundary, "in ice"
		case ok:
			o.Celsius, o.Basis = mean, "mean of its last day"
		case p.Latest != nil:
			o.Celsius, o.Basis = p.Latest.Celsius, "its last reading"
		case p.Cold():
			o.Celsius, o.Basis = p.SetC+assess.AssumedMargin, "assumed: nothing measures it"
		default:
			o.Celsius, o.Basis = assess.ExposedC(p.Place), "assumed: nothing cools it"
		}
		list = append(list, o)
	}
	return append(list, assess.InIce()...), nil
}

func meanOf(trace []TracePoint) (float64, bool) {
	sum := 0.0
	for _, t := range trace {
		sum += t.Mean
	}
	return sum / float64(len(trace)), len(trace) > 0
}

// MoveAll moves lots to a place, all or none. Those that lie there stay.
func (k *Kitchen) MoveAll(ctx context.Context, placeID int64, moves map[uuid.UUID]uuid.UUID) error {
	return k.change(ctx, func(c *change) error {
		if _, err := lockPlace(ctx, c.Tx, c.a.Site.ID, placeID); err != nil {
			return err
		}
		now := k.Now()
		writes := make([]Write, 0, len(moves))
		for id, event := range moves {
			writes = append(writes, Write{EventID: event, LotID: id, HappenedAt: now, Payload: lot.Moved{PlaceID: placeID}})
		}
		lots, err := c.open(ctx, writes...)
		if err != nil {
			return err
		}
		for i, l := range lots {
			if l == nil || l.state.Place() == placeID {
				continue
			}
			if err := c.append(ctx, l, writes[i]); err != nil {
				return fmt.Errorf("lot %s: %w", l.state.Received.Code, err)
			}
		}
		return nil
	})
}

// Exposure is what a span of a lot's history did to it.
type Exposure struct {
	Span      coldchain.Span
	Stretches []assess.Stretch
	Total     coldchain.Exposure
	Model     coldchain.Model
}

// Exposure integrates a lot's temperatures over any span of its history.
func (k *Kitchen) Exposure(ctx context.Context, id uuid.UUID, span coldchain.Span) (Exposure, error) {
	a := ActorFrom(ctx)
	states, err := k.states(ctx, k.DB.Queries, a.Site, id)
	if err != nil {
		return Exposure{}, err
	}
	if !span.From.Before(span.To) {
		return Exposure{}, invalid.Errors{{Field: "to", Message: "must lie after the beginning"}}
	}
	w, err := k.environmentFor(ctx, k.DB.Queries, a.Site, states, span.From, span.To)
	if err != nil {
		return Exposure{}, err
	}
	stretches := assess.StretchesIn(states[0], w.Env, span)
	return Exposure{Span: span, Stretches: stretches, Total: assess.Total(stretches),
		Model: states[0].Species().Model()}, nil
}
