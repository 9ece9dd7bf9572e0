package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// RecallBy is what a recall goes by: all that is given must be true of the lots that it begins with. At least a supplier's lot, or one
// of the others with its days.
type RecallBy struct {
	SupplierID  int64     `json:"supplier_id,omitempty"`
	SupplierLot string    `json:"supplier_lot,omitempty"`
	SpeciesID   string    `json:"species,omitempty"`
	PlaceID     int64     `json:"place_id,omitempty"`
	Area        string    `json:"area,omitempty"` // where it was caught, in words or by the FAO's number
	From        time.Time `json:"from,omitzero"`
	To          time.Time `json:"to,omitzero"`
}

// longestRecall bounds its days.
const longestRecall = 2 * 366 * 24 * time.Hour

// Check says what is wrong with it.
func (by RecallBy) Check(bad *invalid.Errors) {
	if by.SupplierLot != "" {
		return
	}
	if by.SpeciesID == "" && by.PlaceID == 0 && by.Area == "" {
		bad.Add("supplier_lot", "give a supplier's lot, a species, a place or an area")
	}
	switch {
	case by.From.IsZero():
		bad.Add("from", "give the first day")
	case by.To.IsZero():
		bad.Add("to", "give the last day")
	case !by.To.After(by.From):
		bad.Add("to", "lies before the first day")
	case by.To.Sub(by.From) > longestRecall:
		bad.Add("to", "at most two years after the first day")
	}
}

// seeds are the lots that a recall begins with.
func (k *Kitchen) seeds(ctx context.Context, by RecallBy) ([]uuid.UUID, error) {
	site, q := ActorFrom(ctx).Site, k.DB.Queries
	var ids []uuid.UUID
	var err error
	switch {
	case by.SupplierLot != "":
		ids, err = q.LotsOfSupplierLot(ctx, store.LotsOfSupplierLotParams{SiteID: site.ID,
			SupplierLot: strings.ToLower(strings.TrimSpace(by.SupplierLot))})
	case by.PlaceID != 0:
		ids, err = q.LotsOfPlace(ctx, store.LotsOfPlaceParams{SiteID: site.ID, PlaceID: by.PlaceID, FromAt: by.From, ToAt: by.To})
	case by.Area != "":
		ids, err = q.LotsCaught(ctx, store.LotsCaughtParams{SiteID: site.ID, FromAt: by.From, ToAt: by.To})
	default:
		ids, err = q.LotsOfSpecies(ctx, store.LotsOfSpeciesParams{SiteID: site.ID, Species: by.SpeciesID, FromAt: by.From, ToAt: by.To})
	}
	if err != nil {
		return nil, fmt.Errorf("where a recall begins: %w", err)
	}
	states, err := k.states(ctx, q, site, ids...)
	if err != nil {
		return nil, err
	}
	var out []uuid.UUID
	for _, s := range states {
		if by.meets(s) {
			out = append(out, s.ID)
		}
	}
	return out, nil
}

// meets reports whether all that is given is true of a lot, as it stands after corrections.
func (by RecallBy) meets(s *lot.State) bool {
	r := s.Received
	switch {
	case by.SupplierLot != "" && !strings.EqualFold(strings.TrimSpace(by.SupplierLot), strings.TrimSpace(r.SupplierLot)),
		by.SupplierID != 0 && by.SupplierID != r.SupplierID,
		by.SpeciesID != "" && by.SpeciesID != r.SpeciesID,
		by.Area != "" && !by.caughtIn(s),
		by.PlaceID != 0 && !by.layIn(s):
		return false
	}
	if by.PlaceID != 0 || by.From.IsZero() {
		return true
	}
	days := coldchain.Span{From: by.From, To: by.To}
	return days.Has(s.ReceivedAt) || by.Area != "" && s.Harvest.Caught != nil && days.Has(s.Harvest.Caught.At)
}

func (by RecallBy) caughtIn(s *lot.State) bool {
	c := s.Harvest.Caught
	if c == nil {
		return false
	}
	return strings.Contains(strings.ToLower(c.Data.Area), strings.ToLower(by.Area)) || c.Data.FAO != 0 && by.Area == fmt.Sprint(c.Data.FAO)
}

func (by RecallBy) layIn(s *lot.State) bool {
	return slices.ContainsFunc(s.AllStays(), func(stay lot.Stay) bool {
		to := stay.To
		if to.IsZero() {
			to = s.EndedAt
		}
		return stay.PlaceID == by.PlaceID && stay.From.Before(by.To) && (to.IsZero() || to.After(by.From))
	})
}

// Touched is what a recall would touch: the lots that it begins with, and all that their fish became here.
func (k *Kitchen) Touched(ctx context.Context, by RecallBy) (Lineage, error) {
	var bad invalid.Errors
	if by.Check(&bad); len(bad) > 0 {
		return Lineage{}, bad
	}
	seeds, err := k.seeds(ctx, by)
	if err != nil || len(seeds) == 0 {
		return Lineage{}, err
	}
	ids, err := k.DB.LotsAfter(ctx, store.LotsAfterParams{SiteID: ActorFrom(ctx).Site.ID, Lots: seeds})
	if err != nil {
		return Lineage{}, fmt.Errorf("what those lots became: %w", err)
	}
	return k.lineageOf(ctx, ids)
}

// NewRecall is a recall to be begun.
type NewRecall struct {
	ID     uuid.UUID // from the client: the same recall twice is one
	By     RecallBy
	Reason string
	Drill  bool // nothing is held, and no other kitchen is told
}

// Recall is one that was begun.
type Recall struct {
	ID     uuid.UUID
	At     time.Time
	DoneAt *time.Time // when all of it was found
	Person string
	Drill  bool
	Reason string
	By     RecallBy
	Lots   []uuid.UUID
	Held   []uuid.UUID // by it
}

// Took is how long it took until all was found; 0 while it lasts.
func (r Recall) Took() time.Duration {
	if r.DoneAt == nil {
		return 0
	}
	return r.DoneAt.Sub(r.At)
}

// holdReason is what lots that it touches are on hold for.
func (r Recall) holdReason() string { return "recalled: " + r.Reason }

// BeginRecall holds all lots on hand that a recall touches, tells the kitchens that fish of them went to, and keeps what it found. A drill
// only finds. Errors are those of RecallBy.Check, and on reason.
func (k *Kitchen) BeginRecall(ctx context.Context, in NewRecall) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	in.By.Check(&bad)
	if in.Reason = strings.TrimSpace(in.Reason); in.Reason == "" || invalid.TooLong(in.Reason, 200) {
		bad.Add("reason", "say why, in a few words")
	}
	if len(bad) > 0 {
		return bad
	}
	begun := k.Now()
	touched, err := k.Touched(ctx, in.By)
	if err != nil {
		return err
	}
	if len(touched.Lots) == 0 {
		return invalid.Errors{{Field: "supplier_lot", Message: "no lot is known by that"}}
	}
	asked, err := json.Marshal(in.By)
	if err != nil {
		return err
	}
	r := Recall{ID: in.ID, At: begun, Drill: in.Drill, Reason: in.Reason, Held: []uuid.UUID{}}
	for _, x := range touched.Lots {
		r.Lots = append(r.Lots, x.LotID)
	}
	return k.change(ctx, func(c *change) error {
		kept, err := c.AddRecall(ctx, store.AddRecallParams{SiteID: a.Site.ID, ID: r.ID, At: r.At, PersonID: a.Person.ID, Drill: r.Drill,
			Reason: r.Reason,
			Asked:  asked, Lots: r.Lots})
		if err != nil {
			return fmt.Errorf("keeping the recall: %w", err)
		}
		if kept == 0 || r.Drill { // sent twice, or nothing is to be held
			return nil
		}
		if r.Held, err = c.holdAll(ctx, r.ID, r.Lots, r.holdReason()); err != nil {
			return err
		}
		if _, err := c.RecallHeld(ctx, store.RecallHeldParams{SiteID: a.Site.ID, ID: r.ID, Held: r.Held}); err != nil {
			return fmt.Errorf("keeping the recall: %w", err)
		}
		return c.recallElsewhere(ctx, r.ID, r.Lots, r.Reason)
	})
}

// holdAll puts the lots that are on hand, and not on hold yet, on hold; it returns them. of makes its events the same when it is sent
// twice.
func (c *change) holdAll(ctx context.Context, of uuid.UUID, lots []uuid.UUID, reason string) ([]uuid.UUID, error) {
	writes := make([]Write, len(lots))
	for i, id := range lots {
		writes[i] = Write{EventID: uuid.NewSHA1(of, id[:]), LotID: id, HappenedAt: c.k.Now(), Payload: lot.Held{Reason: reason}}
	}
	opened, err := c.open(ctx, writes...)
	if err != nil {
		return nil, err
	}
	held := []uuid.UUID{}
	for i, l := range opened {
		if l == nil || l.state.Status != lot.OnHand || l.state.Hold != "" {
			continue
		}
		if err := c.append(ctx, l, writes[i]); err != nil {
			return nil, err
		}
		held = append(held, l.state.ID)
	}
	return held, nil
}

// recallElsewhere tells the kitchens that fish of lots went to.
func (c *change) recallElsewhere(ctx context.Context, of uuid.UUID, lots []uuid.UUID, reason string) error {
	sent, err := c.TransfersOfLots(ctx, store.TransfersOfLotsParams{SiteID: c.a.Site.ID, Lots: lots})
	if err != nil {
		return fmt.Errorf("the kitchens that it was sent to: %w", err)
	}
	told := false
	for _, t := range sent {
		if t.Side != "sends" || t.OtherLot == nil {
			continue
		}
		if _, err := c.AddTransfer(ctx, store.AddTransferParams{SiteID: t.SiteID, ID: uuid.NewSHA1(of, t.ID[:]), Side: "recalls",
			OtherSite: t.OtherSite,
			OtherName: t.OtherName, LotID: t.LotID, OtherLot: t.OtherLot, Code: t.Code, Species: t.Species, Form: t.Form, Count: t.Count, Kg: t.Kg,
			At: c.k.Now(), Person: c.a.Person.Name, Note: reason}); err != nil {
			return fmt.Errorf("recalling it from %s: %w", t.OtherName, err)
		}
		told = true
	}
	if !told {
		return nil
	}
	return c.Between(ctx, c.a.Site.ID)
}

// RecallFound says that all that a recall touches was found and set apart.
func (k *Kitchen) RecallFound(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.RecallDone(ctx, store.RecallDoneParams{SiteID: a.Site.ID, ID: id, DoneAt: &now})
		if err != nil {
			return fmt.Errorf("ending a recall: %w", err)
		}
		if n == 0 {
			return ErrNotFound
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// Recalls lists them, the last first.
func (k *Kitchen) Recalls(ctx context.Context) ([]Recall, error) {
	rows, err := k.DB.Recalls(ctx, ActorFrom(ctx).Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading recalls: %w", err)
	}
	list := make([]Recall, len(rows))
	for i, r := range rows {
		if list[i], err = recallOf(store.RecallRow(r)); err != nil {
			return nil, err
		}
	}
	return list, nil
}

func recallOf(r store.RecallRow) (Recall, error) {
	out := Recall{ID: r.ID, At: r.At, DoneAt: r.DoneAt, Person: r.Person, Drill: r.Drill, Reason: r.Reason, Lots: r.Lots, Held: r.Held}
	return out, json.Unmarshal(r.Asked, &out.By)
}

// RecallSheet is a recall with its lots as they are now: what is still here, where the rest went, and what was done with them that would be
// refused today.
func (k *Kitchen) RecallSheet(ctx context.Context, id uuid.UUID) (Recall, Lineage, error) {
	row, err := k.DB.Recall(ctx, store.RecallParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return Recall{}, Lineage{}, err
	}
	r, err := recallOf(row)
	if err != nil {
		return r, Lineage{}, err
	}
	ids, err := k.DB.LotsAfter(ctx, store.LotsAfterParams{SiteID: row.SiteID, Lots: r.Lots}) // what was cut of them since, too
	if err != nil {
		return r, Lineage{}, fmt.Errorf("what those lots became: %w", err)
	}
	l, err := k.lineageOf(ctx, ids)
	if err != nil {
		return r, l, err
	}
	return r, l, k.HoldAgainstToday(ctx, &l)
}
