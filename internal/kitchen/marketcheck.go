package kitchen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// MarketCheck is a quick inspection of fish on a market.
type MarketCheck struct {
	ID         uuid.UUID         `json:"-"` // from the client: the same check twice is one
	At         time.Time         `json:"-"`
	LotID      *uuid.UUID        `json:"-"` // the lot that it became; nil until it was bought
	Stall      string            `json:"stall"`
	SpeciesID  string            `json:"species"`
	Form       string            `json:"form"`
	Count      int               `json:"count,omitempty"`
	WeightKg   float64           `json:"weight_kg,omitempty"`
	PriceCents int64             `json:"price_cents_per_kg,omitempty"`
	PriceFor   lot.PriceFor      `json:"price_for,omitempty"` // what the price is for; "" for a kilogram
	Fish       freshness.Fish    `json:"fish"`
	Answers    map[string]string `json:"answers,omitempty"`       // to the counter card
	SecondOf   uuid.UUID         `json:"second_look_of,omitzero"` // the check before it, of what lay in front
}

// seen is the fish as far as the answers at the stall let it be seen: a sign that passes without being
// touched or smelt does not count, one that is wrong all the same does.
func (l MarketCheck) seen() freshness.Fish {
	fish := l.Fish
	fish.Signs = maps.Clone(fish.Signs)
	for sign := range lot.Hidden(l.Answers) {
		if fish.Signs[sign] == 0 {
			delete(fish.Signs, sign)
		}
	}
	return fish
}

// quickScheme is the scheme of the market.
const quickScheme = "quick"

// PreviewMarketCheck judges fish on a market by the quick scheme. It stores nothing.
func (k *Kitchen) PreviewMarketCheck(ctx context.Context, l MarketCheck) (freshness.Reading, freshness.Verdict, error) {
	sp, _ := ActorFrom(ctx).Site.Catalogue().Get(l.SpeciesID)
	scheme, ok := freshness.Find(quickScheme, sp)
	if !ok || !scheme.Fits(sp, l.Form, false) {
		return freshness.Reading{}, freshness.Verdict{},
			invalid.Errors{{Field: "form", Message: "the quick check is not made for this form of fish"}}
	}
	if err := scheme.CheckFor(sp, l.Fish); err != nil {
		return freshness.Reading{}, freshness.Verdict{}, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	fish := []freshness.Fish{l.seen()}
	reading, err := scheme.Read(sp.ShelfLife, fish)
	if err != nil {
		return reading, freshness.Verdict{}, invalid.Errors{{Field: "fish", Message: "choose at least one sign"}}
	}
	return reading, freshness.Judge(freshness.Facts{Scheme: scheme, Species: sp, Profile: ActorFrom(ctx).Profile(),
		Fish: fish, Reading: reading, CoreUnasked: true}), nil
}

// SaveMarketCheck keeps a check, to be bought or left. Bad input is an invalid.Errors.
func (k *Kitchen) SaveMarketCheck(ctx context.Context, l MarketCheck) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	var bad invalid.Errors
	if l.Stall = strings.TrimSpace(l.Stall); invalid.TooLong(l.Stall, 80) {
		bad.Add("stall", "is longer than 80 characters")
	}
	if _, ok := a.Site.Catalogue().Get(l.SpeciesID); !ok {
		bad.Add("species", "is not in the catalogue")
	}
	if l.Count < 0 || l.Count > 10000 {
		bad.Add("count", "must be between 1 and 10 000, or empty")
	}
	if !(l.WeightKg >= 0 && l.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight_kg", "%v", unit.ErrMassRange)
	}
	if l.PriceCents < 0 || l.PriceCents > 1_000_000 {
		bad.Add("price", "must be between 0 and 10 000")
	}
	if l.PriceFor != "" && !slices.Contains(lot.PricesFor, l.PriceFor) {
		bad.Add("price_for", "choose what the price is for")
	}
	for id, answer := range l.Answers {
		if !lot.IsStallAnswer(id, answer) {
			bad.Add("answers", "%q is not an answer to %q", answer, id)
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	if _, _, err := k.PreviewMarketCheck(ctx, l); err != nil {
		return err
	}
	data, err := json.Marshal(l)
	if err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.AddLook(ctx, store.AddLookParams{SiteID: a.Site.ID, ID: l.ID, LookedAt: l.At,
			PersonID: a.Person.ID, Data: data}); err != nil {
			return fmt.Errorf("keeping the look: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// MarketCheckResult is a market check with what the scheme makes of it.
type MarketCheckResult struct {
	MarketCheck
	Reading freshness.Reading
	Verdict freshness.Verdict
}

// MarketChecksSince lists the checks since a time, the newest first.
func (k *Kitchen) MarketChecksSince(ctx context.Context, since time.Time) ([]MarketCheckResult, error) {
	rows, err := k.DB.LooksSince(ctx, store.LooksSinceParams{SiteID: ActorFrom(ctx).Site.ID, LookedAt: since})
	if err != nil {
		return nil, fmt.Errorf("loading looks: %w", err)
	}
	looks := make([]MarketCheckResult, len(rows))
	for i, r := range rows {
		if looks[i].MarketCheck, err = marketCheckOf(r); err != nil {
			return nil, err
		}
		if looks[i].Reading, looks[i].Verdict, err = k.PreviewMarketCheck(ctx, looks[i].MarketCheck); err != nil {
			return nil, err
		}
	}
	return looks, nil
}

// Stall is what was found at a stall of a market.
type Stall struct {
	Name    string
	Checks  int
	Passed  int // accepted
	Seconds int // second looks, at what came from the back
	Better  int // of these, fresher than what lay in front
	Bought  int
}

// Stalls sums up checks by stall, the most visited first.
func Stalls(checks []MarketCheckResult) []Stall {
	score := func(r MarketCheckResult) float64 { return r.Reading.Index / max(1, float64(r.Reading.IndexMax)) }
	byID, byName := map[uuid.UUID]MarketCheckResult{}, map[string]*Stall{}
	for _, c := range checks {
		byID[c.ID] = c
	}
	for _, c := range checks {
		if c.Stall == "" {
			continue
		}
		s := byName[c.Stall]
		if s == nil {
			s = &Stall{Name: c.Stall}
			byName[c.Stall] = s
		}
		s.Checks++
		if c.Verdict.Decision == freshness.Accept {
			s.Passed++
		}
		if c.LotID != nil {
			s.Bought++
		}
		if c.SecondOf != uuid.Nil {
			s.Seconds++
			if first, ok := byID[c.SecondOf]; ok && score(c) < score(first) {
				s.Better++
			}
		}
	}
	var list []Stall
	for _, s := range byName {
		list = append(list, *s)
	}
	slices.SortFunc(list, func(a, b Stall) int {
		return cmp.Or(b.Checks-a.Checks, strings.Compare(a.Name, b.Name))
	})
	return list
}

// OpenMarketCheck returns a check that has not become a lot.
func (k *Kitchen) OpenMarketCheck(ctx context.Context, id uuid.UUID) (MarketCheck, error) {
	return k.openMarketCheck(ctx, k.DB.Queries, id)
}

func (k *Kitchen) openMarketCheck(ctx context.Context, q *store.Queries, id uuid.UUID) (MarketCheck, error) {
	row, err := q.Look(ctx, store.LookParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return MarketCheck{}, err
	}
	if row.LotID != nil {
		return MarketCheck{}, ErrNotFound
	}
	return marketCheckOf(row)
}

func marketCheckOf(r store.MarketLook) (MarketCheck, error) {
	l := MarketCheck{}
	if err := json.Unmarshal(r.Data, &l); err != nil {
		return l, fmt.Errorf("look %s: %w", r.ID, err)
	}
	l.ID, l.At, l.LotID = r.ID, r.LookedAt, r.LotID
	return l, nil
}

// bought makes a market check the first inspection of the lot that it became: what was
// seen then, judged with the core that was taken at receipt.
func (c *change) bought(ctx context.Context, l *changedLot, d Delivery, checkID uuid.UUID) error {
	check, err := c.k.openMarketCheck(ctx, c.Queries, checkID)
	if err != nil {
		return fmt.Errorf("market check %s: %w", checkID, err)
	}
	s, sp := l.state, l.state.Species()
	scheme, _ := freshness.Find(quickScheme, sp)
	fish := []freshness.Fish{check.seen()}
	if check.SpeciesID != s.Received.SpeciesID || !scheme.Fits(sp, s.Form, s.Received.Frozen) {
		checked, _ := c.a.Site.Catalogue().Get(check.SpeciesID)
		return invalid.Errors{{Field: "lines[0].species", Message: "is not the fish that was checked: " + checked.Name}}
	}
	if err := c.load(ctx, d.ArrivedAt, s); err != nil {
		return err
	}
	declared, _ := assess.DeclaredAgeAt(s, c.env.Env, d.ArrivedAt)
	clock := assess.Assess(s, c.env.Env, c.env.Now).Histamine
	reading, verdict, err := assess.Judge(s, c.a.Profile(), assess.Seen{Scheme: scheme, Fish: fish}, s.Count, declared, clock)
	if err != nil {
		return err
	}
	if err := c.append(ctx, l, Write{EventID: NewID(), HappenedAt: d.ArrivedAt,
		Payload: lot.Inspected{Scheme: scheme.ID, SchemeVersion: scheme.Version, Fish: fish, Reading: reading,
			Proposed: verdict, Decision: verdict.Decision, Profile: c.a.Profile().ID, SeenAt: &check.At,
			Answers: check.Answers}}); err != nil {
		return err
	}
	return c.LookBought(ctx, store.LookBoughtParams{SiteID: c.a.Site.ID, ID: checkID, LotID: &l.head.ID})
}
