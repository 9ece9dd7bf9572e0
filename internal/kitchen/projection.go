package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

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
	states, err := k.states(ctx, tx.Queries, site, ids...)
	if err != nil {
		return err
	}
	w, err := k.environmentFor(ctx, tx.Queries, site, states)
	if err != nil {
		return err
	}
	var put []*lot.State
	for _, s := range states {
		row, err := project(site.ID, s, w.Env)
		if err != nil {
			return err
		}
		n, err := tx.PutBoard(ctx, row)
		if err != nil {
			return fmt.Errorf("projecting lot %s: %w", s.Received.Code, err)
		}
		if n > 0 { // else an event that came meanwhile was projected already, with its sources
			put = append(put, s)
		}
	}
	if err := putCuts(ctx, tx, site.ID, put...); err != nil {
		return err
	}
	if err := k.judgeReserved(ctx, tx, site, put, w.Env); err != nil {
		return err
	}
	if err := putLinks(ctx, tx, site.ID, put...); err != nil {
		return err
	}
	return putSources(ctx, tx, site.ID, w.Places, put...)
}

// project assesses a lot and makes its row of the board.
func project(site int64, s *lot.State, env assess.Env) (store.PutBoardParams, error) {
	a := assess.Assess(s, env, env.Now)
	fitness := assess.Fitness(s, a)
	uses, err := json.Marshal(fitness)
	if err != nil {
		return store.PutBoardParams{}, err
	}
	due, err := json.Marshal(assess.DueActions(s, a, env))
	if err != nil {
		return store.PutBoardParams{}, err
	}
	outlook := []assess.Spell{}
	if s.Status == lot.OnHand {
		outlook = a.Outlook()
	}
	ahead, err := json.Marshal(outlook)
	if err != nil {
		return store.PutBoardParams{}, err
	}
	row := store.PutBoardParams{SiteID: site, LotID: s.ID, Seq: int64(s.Seq), Code: s.Received.Code,
		Status: string(s.Status), Hold: s.Hold,
		Species: s.Received.SpeciesID, Form: s.Form, Frozen: a.Frozen, Count: int64(s.Count),
		WeightKg: s.WeightKg, CostCents: s.CostCents,
		SupplierID: s.Received.SupplierID, DocketID: s.Received.DeliveryID, PlaceID: s.Place(),
		ReceivedAt: s.ReceivedAt, AsOf: a.At,
		Basis: string(a.Basis), UsedDays: a.Used.Days, SdDays: a.Used.SD, LeftDays: a.Left.Days, ShelfDays: a.Shelf,
		Gap:  a.Gap,
		NowC: a.NowC, NowKind: string(a.NowKind), Stops: append([]string{}, a.Stops...), Uses: uses, Due: due, Outlook: ahead}
	if !math.IsNaN(a.Rate) {
		row.Rate = &a.Rate
	}
	row.SupplierLot = strings.ToLower(strings.TrimSpace(s.Received.SupplierLot))
	if caught := s.Harvest.Caught; caught != nil {
		row.CaughtAt = &caught.At
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

// putLinks notes what lots became.
func putLinks(ctx context.Context, tx *store.Tx, site int64, states ...*lot.State) error {
	links := store.AddLinksParams{SiteID: site}
	link := func(from, to uuid.UUID, at time.Time, together bool) {
		links.Froms, links.Tos = append(links.Froms, from), append(links.Tos, to)
		links.Ats, links.Togethers = append(links.Ats, at), append(links.Togethers, together)
	}
	for _, s := range states {
		if s.Parent != uuid.Nil {
			link(s.Parent, s.ID, s.SplitAt, false)
		}
		if s.GoesOnAs != uuid.Nil {
			link(s.ID, s.GoesOnAs, s.EndedAt, true)
		}
	}
	if len(links.Froms) == 0 {
		return nil
	}
	if err := tx.AddLinks(ctx, links); err != nil {
		return fmt.Errorf("noting what lots became: %w", err)
	}
	return nil
}

// putSources notes which probes the clocks of lots draw on, and when, and where the lots lay.
func putSources(ctx context.Context, tx *store.Tx, site int64, places map[int64]lot.Place, states ...*lot.State) error {
	if len(states) == 0 {
		return nil
	}
	all := store.AddSourcesParams{SiteID: site}
	var ids []uuid.UUID
	for _, s := range states {
		ids = append(ids, s.ID)
		first := len(all.Probes)
		add := func(probe int64, span coldchain.Span) {
			for i := first; i < len(all.Probes); i++ { // lots that were put together lay in one place from one time on
				if all.Probes[i] == probe && all.Froms[i].Equal(span.From) {
					if span.To.After(all.Tos[i]) {
						all.Tos[i] = span.To
					}
					return
				}
			}
			all.Probes, all.Lots = append(all.Probes, probe), append(all.Lots, s.ID)
			all.Froms, all.Tos = append(all.Froms, span.From), append(all.Tos, span.To)
		}
		firstStay := len(all.StayLots)
		for _, stay := range s.AllStays() {
			to := stay.To
			if to.IsZero() {
				if to = s.EndedAt; to.IsZero() {
					to = forever
				}
			}
			addStay(&all, firstStay, s.ID, stay, to)
			for _, probe := range places[stay.PlaceID].Probes {
				if span := probe.Clip(coldchain.Span{From: stay.From, To: to}); span.Len() > 0 {
					add(probe.ProbeID, span)
				}
			}
		}
		for _, l := range s.AllLoggers() {
			add(l.ProbeID, l.Span)
		}
	}
	if err := tx.DeleteSources(ctx, store.DeleteSourcesParams{SiteID: site, Lots: ids}); err != nil {
		return fmt.Errorf("noting the sources of lots: %w", err)
	}
	if err := tx.AddSources(ctx, all); err != nil {
		return fmt.Errorf("noting the sources of lots: %w", err)
	}
	return nil
}

// addStay adds where a lot lay, unless it is there from first on: lots that were put together lay in one place from one time on.
func addStay(all *store.AddSourcesParams, first int, id uuid.UUID, stay lot.Stay, to time.Time) {
	for i := first; i < len(all.StayLots); i++ {
		if all.StayPlaces[i] == stay.PlaceID && all.StayFroms[i].Equal(stay.From) {
			if to.After(all.StayTos[i]) {
				all.StayTos[i] = to
			}
			return
		}
	}
	all.StayLots, all.StayPlaces = append(all.StayLots, id), append(all.StayPlaces, stay.PlaceID)
	all.StayFroms, all.StayTos = append(all.StayFroms, stay.From), append(all.StayTos, to)
}

// sameSources reports whether two states of a lot draw on the same probes.
func sameSources(a, b *lot.State) bool {
	return slices.Equal(a.AllStays(), b.AllStays()) && slices.Equal(a.AllLoggers(), b.AllLoggers()) && a.EndedAt.Equal(b.EndedAt)
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
	k.projectedAt.Store(time.Now().UnixNano())
	if err := k.ShareSpare(ctx); err != nil && ctx.Err() == nil {
		k.Log.Error("between kitchens", "error", err)
	}
	for {
		if err := k.RefreshStale(ctx); err == nil {
			k.projectedAt.Store(time.Now().UnixNano())
		} else if ctx.Err() == nil {
			k.Log.Error("projection", "error", err)
		}
		if err := k.WatchStale(ctx); err != nil && ctx.Err() == nil {
			k.Log.Error("alarms", "error", err)
		}
		if err := k.Between(ctx); err != nil && ctx.Err() == nil {
			k.Log.Error("between kitchens", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-wake:
		case <-tick.C:
			if _, err := k.DB.MarkStaleByAge(ctx, k.Now().Add(-projectionMaxAge)); err != nil && ctx.Err() == nil {
				k.Log.Error("projection", "error", err)
			}
			if err := k.ShareSpare(ctx); err != nil && ctx.Err() == nil {
				k.Log.Error("between kitchens", "error", err)
			}
			if err := k.markSilent(ctx); err != nil && ctx.Err() == nil {
				k.Log.Error("alarms", "error", err)
			}
			if err := k.DB.DropOldImports(ctx, k.Now().Add(-importKept)); err != nil && ctx.Err() == nil {
				k.Log.Error("dropping old imports", "error", err)
			}
			if err := k.TidySignIns(ctx); err != nil && ctx.Err() == nil {
				k.Log.Error("tidying what people signed in with", "error", err)
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
		if err := tx.DeleteTrace(ctx, site.ID); err != nil {
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
