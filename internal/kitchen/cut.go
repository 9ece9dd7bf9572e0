package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/costing"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// cut writes that fish of a lot were cut, and begins a lot for each part that stays, with the clocks of the
// whole; a part that goes to another place is moved there. Errors are those of lot.Admit.
func (c *change) cut(ctx context.Context, l *changedLot, w Write) error {
	p := w.Payload.(lot.Cut)
	if p.CutterID != 0 {
		if _, err := c.Person(ctx, store.PersonParams{SiteID: c.a.Site.ID, ID: p.CutterID}); err != nil {
			return invalid.Errors{{Field: "cutter_id", Message: "is nobody of this kitchen"}}
		}
	}
	p.CostBy = cmp.Or(p.CostBy, costing.Method(c.a.Site.CostBy))
	ways := c.a.Site.policies()
	maps.Copy(ways, p.Policies)
	if p.Policies = ways; len(ways) == 0 {
		p.Policies = nil
	}
	p.Parts = append([]lot.CutPart{}, p.Parts...)
	for i := range p.Parts {
		part := &p.Parts[i]
		part.LotID, part.Code = uuid.Nil, ""
		if part.To.Leaves() {
			continue
		}
		var err error
		if part.LotID, part.Code, err = c.newNumber(ctx); err != nil {
			return err
		}
	}
	w.Payload = p
	before := l.state
	if err := c.appendOne(ctx, l, w); err != nil {
		return err
	}
	made, ok := l.state.CutBy(w.EventID)
	if !ok {
		return fmt.Errorf("lot %s: its cut was not written", before.Received.Code)
	}
	e := lot.Event{ID: w.EventID, LotID: l.head.ID, HappenedAt: made.At, PersonID: c.a.Person.ID}
	for i, part := range made.Parts {
		if part.LotID == uuid.Nil {
			continue
		}
		first := lot.InheritCut(before, l.head.HeadHash, e, made.Cut, i)
		own, err := c.add(ctx, part.LotID, part.Code, first.Received.DeliveryID)
		if err != nil {
			return err
		}
		writes := []Write{{EventID: NewID(), HappenedAt: w.HappenedAt, Payload: first}}
		if part.PlaceID != 0 && part.PlaceID != before.Place() {
			writes = append(writes, Write{EventID: NewID(), HappenedAt: w.HappenedAt, Payload: lot.Moved{PlaceID: part.PlaceID}})
		}
		if err := c.append(ctx, own, writes...); err != nil {
			return err
		}
	}
	return nil
}

// cutsFollow lets the lots that were cut of a lot follow where an entry about that was corrected or cancelled:
// their weights and costs are those of the cut as it now stands, and so on with what was cut of them.
func (c *change) cutsFollow(ctx context.Context, l *changedLot) error {
	for _, made := range l.state.Cuts {
		for i, part := range made.Parts {
			if part.LotID == uuid.Nil {
				continue
			}
			own, err := c.reopen(ctx, part.LotID)
			if err != nil {
				return err
			}
			p, changed, err := lot.FollowCut(own.state, l.state, made.EventID, i)
			if err != nil {
				return err
			}
			if !changed {
				continue
			}
			was := c.following
			c.following = true
			err = c.append(ctx, own, Write{EventID: NewID(), LotID: part.LotID, HappenedAt: c.k.Now(), Payload: p})
			c.following = was
			if err != nil {
				return fmt.Errorf("lot %s, which was cut of it: %w", part.Code, err)
			}
		}
	}
	return nil
}

// reopen is a lot that the transaction opens, or has open already.
func (c *change) reopen(ctx context.Context, id uuid.UUID) (*changedLot, error) {
	for _, l := range c.lots {
		if l.head.ID == id {
			return l, nil
		}
	}
	return c.openOne(ctx, Write{EventID: NewID(), LotID: id})
}

// cutPart is a part of a cut as lot_cut holds it.
type cutPart struct {
	LotID     uuid.UUID           `json:"lot_id,omitzero"`
	Code      string              `json:"code,omitempty"`
	Form      string              `json:"form"`
	Count     int                 `json:"count"`
	Kg        float64             `json:"kg"`
	Cents     float64             `json:"cents"`
	Estimated bool                `json:"estimated"`
	To        cutting.Destination `json:"to"`
}

// putCuts notes what was cut of lots, in place of what was noted before.
func putCuts(ctx context.Context, tx *store.Tx, site int64, states ...*lot.State) error {
	var ids []uuid.UUID
	for _, s := range states {
		ids = append(ids, s.ID)
	}
	if err := tx.DeleteCuts(ctx, store.DeleteCutsParams{SiteID: site, Lots: ids}); err != nil {
		return fmt.Errorf("noting cuts: %w", err)
	}
	for _, s := range states {
		for _, made := range s.Cuts {
			parts := make([]cutPart, len(made.Parts))
			for i, p := range made.Parts {
				parts[i] = cutPart{LotID: p.LotID, Code: p.Code, Form: p.Form, Count: p.Count, Kg: p.WeightKg, Estimated: p.Estimated, To: p.To}
				if made.Costs != nil {
					parts[i].Cents = made.Costs[i]
				}
			}
			data, err := json.Marshal(parts)
			if err != nil {
				return err
			}
			if err := tx.AddCut(ctx, store.AddCutParams{SiteID: site, EventID: made.EventID, LotID: s.ID, At: made.At,
				Species: s.Received.SpeciesID, Form: s.Form, SupplierID: s.Received.SupplierID, CutterID: made.Cutter(),
				Count: int64(made.Count), Kg: made.Kg, Cents: made.Cents, Minutes: made.Minutes, Parts: data}); err != nil {
				return fmt.Errorf("noting a cut of lot %s: %w", s.Received.Code, err)
			}
		}
	}
	return nil
}

// cutsFor is how far back cuts tell of yields.
const cutsFor = 400 * 24 * time.Hour

// CutRow is a cut as it was noted.
type CutRow struct {
	store.LotCut
	Code  string // of the lot that was cut
	Parts []cutPart
}

// Cuts lists what was cut since a moment, the last first.
func (k *Kitchen) Cuts(ctx context.Context, since time.Time) ([]CutRow, error) {
	rows, err := k.DB.CutsSince(ctx, store.CutsSinceParams{SiteID: ActorFrom(ctx).Site.ID, At: since})
	if err != nil {
		return nil, fmt.Errorf("loading cuts: %w", err)
	}
	list := make([]CutRow, len(rows))
	for i, r := range rows {
		if list[i], err = cutRowOf(r.LotCut); err != nil {
			return nil, err
		}
		list[i].Code = r.Code
	}
	return list, nil
}

// cutRowOf reads the parts of a cut that was noted.
func cutRowOf(r store.LotCut) (CutRow, error) {
	row := CutRow{LotCut: r}
	if err := json.Unmarshal(r.Parts, &row.Parts); err != nil {
		return row, fmt.Errorf("cut %s: %w", r.EventID, err)
	}
	return row, nil
}

// Policy is the kitchen's usual way of a policy of the bench: the house's, where it chose none.
func (s Site) Policy(id string) string {
	if own := s.policies()[id]; own != "" {
		return own
	}
	for _, p := range cutting.Policies {
		if p.ID == id {
			return p.Choices[0].ID
		}
	}
	return ""
}

// policies are the ways of the bench that the kitchen chose.
func (s Site) policies() map[string]string {
	own := map[string]string{}
	if err := json.Unmarshal(s.BenchPolicies, &own); err != nil {
		return map[string]string{} // none were chosen yet
	}
	return own
}

// SetBench sets how the bench usually works: choices by policy, and how the cost of a fish is shared over its parts.
func (k *Kitchen) SetBench(ctx context.Context, policies map[string]string, by costing.Method) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	for policy, choice := range policies {
		if !cutting.Known(policy, choice) {
			bad.Add("policy-"+policy, "choose one of the list")
		}
	}
	if !slices.Contains(costing.Methods, by) {
		bad.Add("cost_by", "by value or by weight")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	data, err := json.Marshal(policies)
	if err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetBench(ctx, store.SetBenchParams{ID: a.Site.ID, BenchPolicies: data, CostBy: string(by)}); err != nil {
			return fmt.Errorf("setting the ways of the bench: %w", err)
		}
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActSettings, "the ways of the bench"); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
