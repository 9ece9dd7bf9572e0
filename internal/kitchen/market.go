package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// Look is a quick look at fish on a market.
type Look struct {
	ID         uuid.UUID         `json:"-"` // from the client: the same look twice is one
	At         time.Time         `json:"-"`
	LotID      *uuid.UUID        `json:"-"` // the lot that it became; nil until it was bought
	Stall      string            `json:"stall"`
	SpeciesID  string            `json:"species"`
	Form       string            `json:"form"`
	Count      int               `json:"count,omitempty"`
	WeightKg   float64           `json:"weight_kg,omitempty"`
	PriceCents int64             `json:"price_cents_per_kg,omitempty"`
	Fish       freshness.Fish    `json:"fish"`
	Answers    map[string]string `json:"answers,omitempty"` // to the counter card
}

// Species is the catalogue's entry of the fish.
func (l Look) Species() species.Species {
	sp, _ := species.Get(l.SpeciesID)
	return sp
}

// quickLook is the scheme of the market.
const quickLook = "quick"

// LookOver judges fish on a market by the quick look. It stores nothing.
func (k *Kitchen) LookOver(ctx context.Context, l Look) (freshness.Reading, freshness.Verdict, error) {
	sp := l.Species()
	scheme, ok := freshness.Find(quickLook, sp)
	if !ok || !scheme.Fits(sp, l.Form, false) {
		return freshness.Reading{}, freshness.Verdict{}, invalid.Errors{{Field: "form", Message: "the quick look is not made for this form of fish"}}
	}
	if err := scheme.CheckFor(sp, l.Fish); err != nil {
		return freshness.Reading{}, freshness.Verdict{}, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	fish := []freshness.Fish{l.Fish}
	reading, err := scheme.Read(sp.ShelfLife, fish)
	if err != nil {
		return reading, freshness.Verdict{}, invalid.Errors{{Field: "fish", Message: "choose at least one sign"}}
	}
	return reading, freshness.Judge(freshness.Facts{Scheme: scheme, Species: sp, Profile: ActorFrom(ctx).Profile(), Fish: fish, Reading: reading, CoreUnasked: true}), nil
}

// KeepLook keeps a look, to be bought or left. Bad input is an invalid.Errors.
func (k *Kitchen) KeepLook(ctx context.Context, l Look) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	var bad invalid.Errors
	if l.Stall = strings.TrimSpace(l.Stall); len(l.Stall) > 80 {
		bad.Add("stall", "is longer than 80 characters")
	}
	if l.Species().ID == "" {
		bad.Add("species", "is not in the catalogue")
	}
	if l.Count < 0 || l.Count > 10000 {
		bad.Add("count", "must be between 1 and 10 000, or empty")
	}
	if !(l.WeightKg >= 0 && l.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight", "%v", unit.ErrMassRange)
	}
	if l.PriceCents < 0 || l.PriceCents > 1_000_000 {
		bad.Add("price", "must be between 0 and 10 000")
	}
	for id, answer := range l.Answers {
		if !lot.OnCounterCard(id, answer) {
			bad.Add("answers", "%q is not an answer to %q", answer, id)
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	if _, _, err := k.LookOver(ctx, l); err != nil {
		return err
	}
	data, err := json.Marshal(l)
	if err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.AddLook(ctx, store.AddLookParams{SiteID: a.Site.ID, ID: l.ID, LookedAt: l.At, PersonID: a.Person.ID, Data: data}); err != nil {
			return fmt.Errorf("keeping the look: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// Looked is a look with what the scheme makes of it.
type Looked struct {
	Look
	Reading freshness.Reading
	Verdict freshness.Verdict
}

// LooksSince lists the looks since a time, the newest first.
func (k *Kitchen) LooksSince(ctx context.Context, since time.Time) ([]Looked, error) {
	rows, err := k.DB.LooksSince(ctx, store.LooksSinceParams{SiteID: ActorFrom(ctx).Site.ID, LookedAt: since})
	if err != nil {
		return nil, fmt.Errorf("loading looks: %w", err)
	}
	looks := make([]Looked, len(rows))
	for i, r := range rows {
		if looks[i].Look, err = lookOf(r); err != nil {
			return nil, err
		}
		if looks[i].Reading, looks[i].Verdict, err = k.LookOver(ctx, looks[i].Look); err != nil {
			return nil, err
		}
	}
	return looks, nil
}

// OpenLook returns a look that has not become a lot.
func (k *Kitchen) OpenLook(ctx context.Context, id uuid.UUID) (Look, error) {
	return k.openLook(ctx, k.DB.Queries, id)
}

func (k *Kitchen) openLook(ctx context.Context, q *store.Queries, id uuid.UUID) (Look, error) {
	row, err := q.Look(ctx, store.LookParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return Look{}, err
	}
	if row.LotID != nil {
		return Look{}, ErrNotFound
	}
	return lookOf(row)
}

func lookOf(r store.MarketLook) (Look, error) {
	l := Look{}
	if err := json.Unmarshal(r.Data, &l); err != nil {
		return l, fmt.Errorf("look %s: %w", r.ID, err)
	}
	l.ID, l.At, l.LotID = r.ID, r.LookedAt, r.LotID
	return l, nil
}

// bought makes a look the first inspection of the lot that it became: what was
// seen then, judged with the core that was taken at receipt.
func (k *Kitchen) bought(ctx context.Context, tx *store.Tx, a Actor, d Delivery, lookID, lotID uuid.UUID) error {
	look, err := k.openLook(ctx, tx.Queries, lookID)
	if err != nil {
		return fmt.Errorf("look %s: %w", lookID, err)
	}
	states, err := k.states(ctx, tx.Queries, a.Site.ID, lotID)
	if err != nil {
		return err
	}
	r, sp := states[0].Received, states[0].Species()
	scheme, _ := freshness.Find(quickLook, sp)
	fish := []freshness.Fish{look.Fish}
	if look.SpeciesID != r.SpeciesID || !scheme.Fits(sp, r.Form, r.Frozen) {
		return invalid.Errors{{Field: "lines[0].species", Message: "is not the fish that was looked at: " + look.Species().Name}}
	}
	w, err := k.worldFor(ctx, tx.Queries, a.Site, states[0])
	if err != nil {
		return err
	}
	claimed, _ := lot.ClaimedAt(states[0], w.Env, d.ArrivedAt)
	reading, verdict, err := judge(a, states[0], scheme, fish, r.Count, claimed, lot.Tell(states[0], w.Env).Histamine)
	if err != nil {
		return err
	}
	payload := lot.Inspected{Scheme: scheme.ID, SchemeVersion: scheme.Version, Fish: fish, Reading: reading, Proposed: verdict, Decision: verdict.Decision,
		Profile: a.Profile().ID, SeenAt: &look.At, Answers: look.Answers}
	head, err := tx.LockLot(ctx, store.LockLotParams{SiteID: a.Site.ID, ID: lotID})
	if err != nil {
		return err
	}
	if _, err := k.append(ctx, tx, a, head, Write{EventID: NewID(), LotID: lotID, HappenedAt: d.ArrivedAt, Payload: payload}); err != nil {
		return err
	}
	return tx.LookBought(ctx, store.LookBoughtParams{SiteID: a.Site.ID, ID: lookID, LotID: &lotID})
}
