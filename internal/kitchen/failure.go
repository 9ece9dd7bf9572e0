package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Failure is what the failure of a place did to the lots that lay in it.
type Failure struct {
	Alarm AlarmEntry
	Place lot.Place
	Lots  []FailedLot // the worst first
	Trace []TracePoint
	Span  coldchain.Span // that is looked at
}

// FailedLot is one of them.
type FailedLot struct {
	Row
	State  *lot.State
	Impact assess.FailureImpact
}

// Reviewed is what was decided of the lot already; nil where nothing was.
func (f FailedLot) Reviewed(alarm uuid.UUID) *lot.ReviewMade {
	for i, r := range f.State.Reviews {
		if r.AlarmID == alarm {
			return &f.State.Reviews[i]
		}
	}
	return nil
}

// recovers is how long after a place is back the fish in it still is warmer
// (house): it is looked at until then.
const recovers = 4 * time.Hour

// Failure returns what an alarm did to the lots that lay in its place.
func (k *Kitchen) Failure(ctx context.Context, alarmID uuid.UUID) (Failure, error) {
	f := Failure{}
	var err error
	if f.Alarm, err = k.Alarm(ctx, alarmID); err != nil {
		return f, err
	}
	return f, k.failed(ctx, k.DB.Queries, &f)
}

// failed fills in the lots and the trace.
func (k *Kitchen) failed(ctx context.Context, q *store.Queries, f *Failure) error {
	a, now := ActorFrom(ctx), k.Now()
	f.Span = coldchain.Span{From: f.Alarm.Since, To: f.Alarm.Until(now).Add(recovers)}
	if f.Span.To.After(now) {
		f.Span.To = now
	}
	ids, err := q.LotsOfProbe(ctx, store.LotsOfProbeParams{SiteID: a.Site.ID, ProbeID: f.Alarm.ProbeID,
		FromAt: f.Span.From, ToAt: f.Span.To})
	if err != nil {
		return fmt.Errorf("finding the lots: %w", err)
	}
	var states []*lot.State
	if len(ids) > 0 {
		if states, err = k.states(ctx, q, a.Site, ids...); err != nil {
			return err
		}
	}
	w, err := k.environmentFor(ctx, q, a.Site, states, f.Span.From, f.Span.To)
	if err != nil {
		return err
	}
	f.Place = w.Places[f.Alarm.PlaceID]
	for _, s := range states {
		if s.Status != lot.OnHand || !s.LayIn(f.Alarm.PlaceID,
			coldchain.Span{From: f.Alarm.Since, To: f.Alarm.Until(now)}) {
			continue
		}
		loss, ok := assess.AssessFailure(s, w.Env, f.Alarm.PlaceID, f.Span)
		if !ok {
			continue
		}
		b, err := q.BoardLot(ctx, store.BoardLotParams{SiteID: a.Site.ID, LotID: s.ID})
		if err != nil {
			return err
		}
		row, err := rowAt(a.Site.Catalogue(), b, now)
		if err != nil {
			return err
		}
		f.Lots = append(f.Lots, FailedLot{row, s, loss})
	}
	worst := []lot.FailureOutcome{lot.OutcomeStopped, lot.OutcomeCook, lot.OutcomeFine}
	slices.SortFunc(f.Lots, func(x, y FailedLot) int {
		if d := slices.Index(worst, x.Impact.Outcome) - slices.Index(worst, y.Impact.Outcome); d != 0 {
			return d
		}
		return usedFirst(x.Row, y.Row)
	})
	around := coldchain.Span{From: f.Span.From.Add(-2 * time.Hour), To: f.Span.To}
	f.Trace, err = k.readings(ctx, q, a.Site.ID, f.Alarm.ProbeID, around)
	return err
}

// readings are the readings of a probe as points of a trace.
func (k *Kitchen) readings(ctx context.Context, q *store.Queries, site, probe int64,
	span coldchain.Span) ([]TracePoint, error) {
	p, err := q.Probe(ctx, store.ProbeParams{SiteID: site, ID: probe})
	if err != nil {
		return nil, err
	}
	rows, err := q.ReadingsBetween(ctx, store.ReadingsBetweenParams{SiteID: site, ProbeID: probe, FromAt: span.From,
		ToAt: span.To})
	if err != nil {
		return nil, err
	}
	points := make([]TracePoint, len(rows))
	for i, r := range rows {
		points[i] = TracePoint{At: r.At, Mean: r.Celsius, Min: r.Celsius, Max: r.Celsius,
			Break: i == 0 || r.At.Sub(rows[i-1].At) > p.MaxGap()}
	}
	return points, nil
}

// Review is what was decided after a failure: about the place, and of each lot.
type Review struct {
	Action NewAction
	Lots   map[uuid.UUID]LotReview
}

// LotReview is what becomes of a lot.
type LotReview struct {
	EventID uuid.UUID // from the client
	Outcome lot.FailureOutcome
	Discard bool
}

// Decisions are what may be decided of a lot, the proposed one first: nothing
// milder than proposed, unless a manager says so; a safety stop never.
func (f FailedLot) Decisions(manager bool) []lot.FailureOutcome {
	switch f.Impact.Outcome {
	case lot.OutcomeFine:
		return []lot.FailureOutcome{lot.OutcomeFine, lot.OutcomeCook}
	case lot.OutcomeCook:
		if manager {
			return []lot.FailureOutcome{lot.OutcomeCook, lot.OutcomeFine}
		}
		return []lot.FailureOutcome{lot.OutcomeCook}
	}
	return []lot.FailureOutcome{lot.OutcomeStopped}
}

// RecordFailure records what was decided after a failure, all at once: the
// corrective action on the alarm, a review of each lot, and discards. What was
// recorded already stays as it is. Errors of a lot are on "lots[<id>]".
func (k *Kitchen) RecordFailure(ctx context.Context, r Review) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	f, err := k.Failure(ctx, r.Action.AlarmID)
	if err != nil {
		return err
	}
	var bad invalid.Errors
	for _, l := range f.Lots {
		d, ok := r.Lots[l.LotID]
		if ok && !d.Discard && !slices.Contains(l.Decisions(a.IsManager()), d.Outcome) {
			bad.Add(fmt.Sprintf("lots[%s]", l.LotID), "%s cannot be decided for it", d.Outcome.Name())
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.change(ctx, func(c *change) error {
		if err := k.actOn(ctx, c.Tx, a, r.Action); err != nil {
			return err
		}
		var writes []Write
		var failed []FailedLot
		now := k.Now()
		for _, l := range f.Lots {
			if d, ok := r.Lots[l.LotID]; ok && l.Reviewed(r.Action.AlarmID) == nil {
				writes = append(writes, Write{EventID: d.EventID, LotID: l.LotID, HappenedAt: now, Payload: f.review(l, d)})
				failed = append(failed, l)
			}
		}
		lots, err := c.open(ctx, writes...)
		if err != nil {
			return err
		}
		for i, l := range lots {
			if l == nil {
				continue // sent twice
			}
			todo := writes[i : i+1]
			if r.Lots[failed[i].LotID].Discard {
				todo = append(slices.Clone(todo), Write{EventID: NewID(), HappenedAt: now,
					Payload: lot.Discarded{Reason: "after the failure of " + f.Alarm.Place}})
			}
			if err := c.append(ctx, l, todo...); err != nil {
				return fmt.Errorf("lot %s: %w", failed[i].Code, err)
			}
		}
		return nil
	})
}

// review is what was decided of a lot, as its event says it.
func (f Failure) review(l FailedLot, d LotReview) lot.Reviewed {
	review := lot.Reviewed{AlarmID: f.Alarm.ID, From: l.Impact.From, To: l.Impact.To, Outcome: d.Outcome,
		LostDays: l.Impact.LostDays, WarmestC: l.Impact.WarmestC}
	if d.Discard {
		review.Outcome = l.Impact.Outcome
	}
	return review
}
