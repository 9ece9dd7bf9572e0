package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// environment is what lots are assessed in: the places and what their probes say.
type environment struct {
	assess.Env
	sources map[int64]*coldchain.Rolled
}

// environmentFor loads what the clocks of the lots draw on, each probe once.
func (k *Kitchen) environmentFor(ctx context.Context, q *store.Queries, site Site, states ...*lot.State) (environment,
	error) {
	w, err := k.environmentCutAt(ctx, q, site, nil, states...)
	if err != nil {
		return w, err
	}
	if w.Declarations, err = k.declarations(ctx, q, site); err != nil {
		return w, err
	}
	if !slices.ContainsFunc(states, func(s *lot.State) bool { return len(s.Hangings) > 0 }) {
		return w, nil
	}
	if w.AgeingPlan, err = k.ageingPlan(ctx, q, site); err != nil {
		return w, err
	}
	l, err := k.layoutOf(ctx, q, site)
	if err != nil {
		return w, err
	}
	w.Cabinets, err = k.cabinets(ctx, q, site, l, states...)
	return w, err
}

// environmentCutAt does so for questions of temperature alone that are cut at other
// times too.
func (k *Kitchen) environmentCutAt(ctx context.Context, q *store.Queries, site Site, cuts []time.Time,
	states ...*lot.State) (environment, error) {
	l, err := k.layoutOf(ctx, q, site)
	if err != nil {
		return environment{}, err
	}
	now := k.Now()
	spans := map[int64][]coldchain.Span{}
	for _, s := range states {
		for _, ask := range assess.ProbeSpans(s, l.places, now, cuts...) {
			spans[ask.ProbeID] = append(spans[ask.ProbeID], ask.Span)
		}
	}
	w := environment{sources: map[int64]*coldchain.Rolled{}}
	for _, probe := range l.probes {
		if len(spans[probe.ID]) == 0 {
			continue
		}
		if w.sources[probe.ID], err = k.DB.Rolled(ctx, q, probe, spans[probe.ID]); err != nil {
			return environment{}, fmt.Errorf("loading the readings of probe %d: %w", probe.ID, err)
		}
	}
	w.Env = assess.Env{Now: now, Profile: Actor{Site: site}.Profile(), Places: l.places, TransportC: site.TransportC,
		Probe: func(id int64) coldchain.Source {
			if src, ok := w.sources[id]; ok {
				return src
			}
			return nil
		}}
	return w, nil
}

// refresh recomputes the projection of lots, staleBatch of them at a time.
func (k *Kitchen) refresh(ctx context.Context, tx *store.Tx, site Site, ids ...uuid.UUID) error {
	for batch := range slices.Chunk(ids, staleBatch) {
		if err := k.refreshBatch(ctx, tx, site, batch); err != nil {
			return err
		}
	}
	return nil
}

// refreshOnHand does so for the lots on hand that pass.
func (k *Kitchen) refreshOnHand(ctx context.Context, tx *store.Tx, site Site, pass func(store.LotBoard) bool) error {
	onHand, err := tx.BoardOnHand(ctx, site.ID)
	if err != nil {
		return err
	}
	var ids []uuid.UUID
	for _, b := range onHand {
		if pass(b) {
			ids = append(ids, b.LotID)
		}
	}
	return k.refresh(ctx, tx, site, ids...)
}

func (k *Kitchen) refreshBatch(ctx context.Context, tx *store.Tx, site Site, ids []uuid.UUID) error {
	states, err := k.states(ctx, tx.Queries, site.ID, ids...)
	if err != nil {
		return err
	}
	w, err := k.environmentFor(ctx, tx.Queries, site, states...)
	if err != nil {
		return err
	}
	for _, s := range states {
		row, err := project(site.ID, s, w.Env)
		if err != nil {
			return err
		}
		n, err := tx.PutBoard(ctx, row)
		if err != nil {
			return fmt.Errorf("projecting lot %s: %w", s.Received.Code, err)
		}
		if n == 0 {
			continue // an event that came meanwhile was projected already, with its sources
		}
		if err := putSources(ctx, tx, site.ID, s, w.Places); err != nil {
			return fmt.Errorf("noting the sources of lot %s: %w", s.Received.Code, err)
		}
	}
	return nil
}

// project assesses a lot and makes its row of the board.
func project(site int64, s *lot.State, env assess.Env) (store.PutBoardParams, error) {
	a := assess.Assess(s, env)
	fitness := assess.Fitness(s, a)
	uses, err := json.Marshal(fitness)
	if err != nil {
		return store.PutBoardParams{}, err
	}
	due, err := json.Marshal(assess.DueActions(s, a, env))
	if err != nil {
		return store.PutBoardParams{}, err
	}
	row := store.PutBoardParams{SiteID: site, LotID: s.ID, Seq: int64(s.Seq), Code: s.Received.Code,
		Status: string(s.Status), Hold: s.Hold,
		Species: s.Received.SpeciesID, Form: s.Received.Form, Frozen: a.Frozen, Count: int64(s.Received.Count),
		WeightKg:   s.Received.WeightKg,
		SupplierID: s.Received.SupplierID, DocketID: s.Received.DeliveryID, PlaceID: s.Place(),
		ReceivedAt: s.ReceivedAt, AsOf: a.At,
		Basis: string(a.Basis), UsedDays: a.Used.Days, SdDays: a.Used.SD, LeftDays: a.Left.Days, ShelfDays: a.Shelf,
		Gap:  a.Gap,
		NowC: a.NowC, NowKind: string(a.NowKind), Stops: append([]string{}, a.Stops...), Uses: uses, Due: due}
	if !math.IsNaN(a.Rate) {
		row.Rate = &a.Rate
	}
	row.Part, row.CoreC, row.GapDays, row.RefusedFor = s.ParentCode != "", s.Received.CoreC, a.GapDays, s.RefusedFor
	if n := len(s.Checks); n > 0 {
		row.ReworkMinutes, row.ReworkCents = s.Checks[n-1].ReworkMinutes, s.Checks[n-1].CostCents()
	}
	if row.Claims, err = json.Marshal(complaintsOf(s)); err != nil {
		return store.PutBoardParams{}, err
	}
	if i, ok := s.Inspection(); ok {
		row.Decision = string(i.Decision)
	}
	if b := a.Histamine; b != nil {
		row.Histamine, row.HistamineShare = string(b.State), b.LargestShare()
	}
	if o := a.Oxygen; o != nil {
		row.Oxygen, row.OxygenShare = string(o.State), o.Share
	}
	if p, ok := s.Packing(); ok {
		row.Pack = string(p.Pack)
	}
	if row.Frost, err = json.Marshal(frozenStatusOf(s, a, fitness)); err != nil {
		return row, err
	}
	row.Aged, err = json.Marshal(ageingStatusOf(s, a))
	return row, err
}

// ComplaintLine is a complaint as the page of a supplier lists it.
type ComplaintLine struct {
	EventID  uuid.UUID
	Number   string
	WeightKg float64
	At       time.Time
}

func complaintsOf(s *lot.State) []ComplaintLine {
	lines := []ComplaintLine{}
	for _, c := range s.Complaints {
		lines = append(lines, ComplaintLine{c.EventID, c.Number, c.WeightKg, c.At})
	}
	return lines
}

// forever stands for the end of a stay that lasts.
var forever = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// putSources notes which probes the clock draws on, and when.
func putSources(ctx context.Context, tx *store.Tx, site int64, s *lot.State, places map[int64]lot.Place) error {
	if err := tx.DeleteSources(ctx, store.DeleteSourcesParams{SiteID: site, LotID: s.ID}); err != nil {
		return err
	}
	add := func(probe int64, from, to time.Time) error {
		return tx.AddSource(ctx, store.AddSourceParams{SiteID: site, ProbeID: probe, LotID: s.ID, FromAt: from,
			ToAt: to})
	}
	for _, stay := range s.Stays {
		to := stay.To
		if to.IsZero() {
			if to = s.EndedAt; to.IsZero() {
				to = forever
			}
		}
		for _, probe := range places[stay.PlaceID].Probes {
			span := probe.Clip(coldchain.Span{From: stay.From, To: to})
			if span.Len() <= 0 {
				continue
			}
			if err := add(probe.ProbeID, span.From, span.To); err != nil {
				return err
			}
		}
	}
	for _, l := range s.Loggers {
		if err := add(l.ProbeID, l.From, l.To); err != nil {
			return err
		}
	}
	return nil
}

// staleBatch is how many lots are projected at a time, and how many stale ones in
// one transaction.
const staleBatch = 200

// RefreshStale projects the lots that are marked stale until none is left. Any
// number of processes may do it at once.
func (k *Kitchen) RefreshStale(ctx context.Context) error {
	ctx = store.Everywhere(ctx)
	for {
		done := 0
		err := k.DB.Write(ctx, func(tx *store.Tx) error {
			stale, err := tx.TakeStale(ctx, staleBatch)
			if err != nil {
				return err
			}
			done = len(stale)
			bySite := map[int64][]uuid.UUID{}
			for _, s := range stale {
				bySite[s.SiteID] = append(bySite[s.SiteID], s.LotID)
			}
			for siteID, ids := range bySite {
				site, err := tx.SiteByID(ctx, siteID)
				if err != nil {
					return err
				}
				if err := k.refresh(ctx, tx, Site(site), ids...); err != nil {
					return err
				}
				if err := tx.Changed(ctx, siteID); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return fmt.Errorf("refreshing stale lots: %w", err)
		}
		if done < staleBatch {
			return nil
		}
	}
}

// Time passes for lots without readings too: a projection is at most this old.
const (
	projectionMaxAge = 5 * time.Minute
	projectionTick   = 30 * time.Second
)

// Project keeps the projections and the alarms fresh until the context ends: when woken, and
// every projectionTick those that have grown old.
func (k *Kitchen) Project(ctx context.Context, wake <-chan struct{}) {
	ctx = store.Everywhere(ctx)
	tick := time.NewTicker(projectionTick)
	defer tick.Stop()
	for {
		if err := k.RefreshStale(ctx); err != nil && ctx.Err() == nil {
			k.Log.Error("projection", "error", err)
		}
		if err := k.WatchStale(ctx); err != nil && ctx.Err() == nil {
			k.Log.Error("alarms", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-wake:
		case <-tick.C:
			if _, err := k.DB.MarkStaleByAge(ctx, k.Now().Add(-projectionMaxAge)); err != nil && ctx.Err() == nil {
				k.Log.Error("projection", "error", err)
			}
			if err := k.markSilent(ctx); err != nil && ctx.Err() == nil {
				k.Log.Error("alarms", "error", err)
			}
			if err := k.DB.DropOldImports(ctx, k.Now().Add(-importKept)); err != nil && ctx.Err() == nil {
				k.Log.Error("dropping old imports", "error", err)
			}
			if err := k.dropOldSignIns(ctx); err != nil && ctx.Err() == nil {
				k.Log.Error("dropping old sessions", "error", err)
			}
		}
	}
}

// Rebuild deletes the projections of a site and makes them again from the
// events and the readings.
func (k *Kitchen) Rebuild(ctx context.Context, site Site) error {
	ctx = store.WithSite(ctx, site.ID)
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		ids, err := tx.LotIDs(ctx, site.ID)
		if err != nil {
			return err
		}
		if err := tx.DeleteBoard(ctx, site.ID); err != nil {
			return err
		}
		if err := k.refresh(ctx, tx, site, ids...); err != nil {
			return err
		}
		// Cabinets take their coefficients from finished fish on the board: only now are those there.
		if err := k.refreshOnHand(ctx, tx, site, func(b store.LotBoard) bool {
			return string(b.Aged) != "null"
		}); err != nil {
			return err
		}
		return tx.Changed(ctx, site.ID)
	})
}

// CheckChains verifies the hash chains of all lots of a site and returns how
// many it checked. It stops at the first that is broken.
func (k *Kitchen) CheckChains(ctx context.Context, site Site) (int, error) {
	ctx = store.WithSite(ctx, site.ID)
	ids, err := k.DB.LotIDs(ctx, site.ID)
	if err != nil {
		return 0, err
	}
	for chunk := range slices.Chunk(ids, staleBatch) {
		events, err := k.events(ctx, k.DB.Queries, site.ID, chunk...)
		if err != nil {
			return 0, err
		}
		for _, id := range chunk {
			if err := lot.CheckChain(events[id]); err != nil {
				return 0, err
			}
		}
	}
	return len(ids), nil
}
