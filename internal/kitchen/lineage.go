package kitchen

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Lineage is lots with how they follow from each other: one back, one forward, as far as it goes.
type Lineage struct {
	Lots  []LineageLot // in the order in which they came
	Links []LineageLink
}

// LineageLot is a lot with where it came from and where its fish went.
type LineageLot struct {
	Row
	State     *lot.State
	Place     string // where it lies, or lay last
	Supplier  string
	Reference string // of the delivery
	Services  []LotService
	Sent      []Transfer // to other kitchens
	CameWith  *Transfer  // from another kitchen; nil for what was received here
	Against   []string   // of what was done with it, what would be refused today
}

// LineageLink is that fish of a lot went on as another.
type LineageLink struct {
	From, To uuid.UUID
	At       time.Time
	Together bool // it was put together with that
}

// LotService is a service that some of a lot was reserved for.
type LotService struct {
	ID      uuid.UUID
	At      time.Time
	Dish    string
	Plates  int
	PutUpAt *time.Time
	Closed  bool
}

// Here are the lots of which something is still here.
func (l Lineage) Here() (list []LineageLot) {
	for _, x := range l.Lots {
		if x.IsOnHand() {
			list = append(list, x)
		}
	}
	return list
}

// HereKg is what they weigh.
func (l Lineage) HereKg() (kg float64) {
	for _, x := range l.Here() {
		kg += x.WeightKg
	}
	return kg
}

// Call is somebody to be told of a recall.
type Call struct {
	Whom string
	Of   []string // lots, or what was served
}

// Calls lists who is to be told: whose fish it was, the kitchens that it went to, and the services at which it was eaten.
func (l Lineage) Calls(zone *time.Location) (list []Call) {
	add := func(whom, of string) {
		i := slices.IndexFunc(list, func(c Call) bool { return c.Whom == whom })
		if i < 0 {
			i = len(list)
			list = append(list, Call{Whom: whom})
		}
		if !slices.Contains(list[i].Of, of) {
			list[i].Of = append(list[i].Of, of)
		}
	}
	for _, x := range l.Lots {
		if x.State.Parent == uuid.Nil && x.CameWith == nil {
			add(x.Supplier, strings.TrimSpace(x.Species.Name+" "+x.State.Received.SupplierLot))
		}
	}
	for _, x := range l.Lots {
		for _, t := range x.Sent {
			add(t.OtherName, x.Species.Name+" "+x.Code)
		}
		for _, r := range x.Services {
			if r.PutUpAt != nil || r.Closed {
				add("Guests of "+r.At.In(zone).Format("Mon 2 Jan 15:04"), fmt.Sprintf("%s, %d plates", r.Dish, r.Plates))
			}
		}
		for _, e := range x.State.Exits {
			if e.EndUse == lot.UsedSold {
				add("Who bought it on "+e.At.In(zone).Format("Mon 2 Jan"), x.Species.Name+" "+x.Code+" "+e.Note)
			}
		}
	}
	return list
}

// Lineage returns what the fish of a lot was before, and what it became.
func (k *Kitchen) Lineage(ctx context.Context, id uuid.UUID) (Lineage, error) {
	site := ActorFrom(ctx).Site
	before, err := k.DB.LotsBefore(ctx, store.LotsBeforeParams{SiteID: site.ID, Lots: []uuid.UUID{id}})
	if err != nil {
		return Lineage{}, fmt.Errorf("what lot %s was: %w", id, err)
	}
	after, err := k.DB.LotsAfter(ctx, store.LotsAfterParams{SiteID: site.ID, Lots: []uuid.UUID{id}})
	if err != nil {
		return Lineage{}, fmt.Errorf("what lot %s became: %w", id, err)
	}
	for _, x := range after {
		if x != id {
			before = append(before, x)
		}
	}
	return k.lineageOf(ctx, before)
}

// lineageOf loads lots with where their fish came from and went.
func (k *Kitchen) lineageOf(ctx context.Context, ids []uuid.UUID) (Lineage, error) {
	a, q := ActorFrom(ctx), k.DB.Queries
	of := store.BoardOfLotsParams{SiteID: a.Site.ID, Lots: ids}
	rows, err := q.BoardOfLots(ctx, of)
	if err != nil {
		return Lineage{}, fmt.Errorf("loading lots: %w", err)
	}
	if len(rows) == 0 {
		return Lineage{}, ErrNotFound
	}
	list, err := rowsAt(a.Site.Catalogue(), rows, k.Now())
	if err != nil {
		return Lineage{}, err
	}
	events, err := k.events(ctx, q, a.Site.ID, ids...)
	if err != nil {
		return Lineage{}, err
	}
	layout, err := k.layoutOf(ctx, q, a.Site)
	if err != nil {
		return Lineage{}, err
	}
	out := Lineage{Lots: make([]LineageLot, len(list))}
	for i, r := range list {
		out.Lots[i] = LineageLot{Row: r, Place: layout.places[r.PlaceID].Name}
		if out.Lots[i].State, err = lot.Fold(a.Site.Catalogue(), events[r.LotID]); err != nil {
			return Lineage{}, err
		}
	}
	links, err := q.LotLinks(ctx, store.LotLinksParams(of))
	if err != nil {
		return Lineage{}, fmt.Errorf("how lots follow from each other: %w", err)
	}
	for _, l := range links {
		out.Links = append(out.Links, LineageLink{l.FromLot, l.ToLot, l.At, l.Together})
	}
	return out, k.whereabouts(ctx, &out, of)
}

// whereabouts adds the deliveries that lots came with, and the services and kitchens that their fish went to.
func (k *Kitchen) whereabouts(ctx context.Context, l *Lineage, of store.BoardOfLotsParams) error {
	at := func(id uuid.UUID) *LineageLot {
		return &l.Lots[slices.IndexFunc(l.Lots, func(x LineageLot) bool { return x.LotID == id })]
	}
	services, err := k.DB.ServicesOfLots(ctx, store.ServicesOfLotsParams(of))
	if err != nil {
		return fmt.Errorf("the services of lots: %w", err)
	}
	for _, s := range services {
		x := at(s.LotID)
		x.Services = append(x.Services, LotService{ID: s.ServiceID, At: s.At, Dish: s.Dish, Plates: int(s.Plates), PutUpAt: s.PutUpAt,
			Closed: s.ClosedAt != nil})
	}
	transfers, err := k.DB.TransfersOfLots(ctx, store.TransfersOfLotsParams(of))
	if err != nil {
		return fmt.Errorf("the other kitchens of lots: %w", err)
	}
	for _, t := range transfers {
		x := at(*t.LotID)
		if t.Side == "sends" {
			x.Sent = append(x.Sent, Transfer{t, x.Species.Name})
		} else {
			x.CameWith = &Transfer{t, x.Species.Name}
		}
	}
	deliveries, err := k.DB.DeliveriesOfLots(ctx, store.DeliveriesOfLotsParams(of))
	if err != nil {
		return fmt.Errorf("the deliveries of lots: %w", err)
	}
	for _, d := range deliveries {
		x := at(d.LotID)
		x.Supplier, x.Reference = d.Supplier, d.Reference
	}
	return nil
}

// HoldAgainstToday notes of each lot what was done with it that would be refused if it were written now, under the rules in force.
func (k *Kitchen) HoldAgainstToday(ctx context.Context, l *Lineage) error {
	site, q := ActorFrom(ctx).Site, k.DB.Queries
	var ids []uuid.UUID
	for _, x := range l.Lots {
		ids = append(ids, x.LotID)
	}
	events, err := k.events(ctx, q, site.ID, ids...)
	if err != nil {
		return err
	}
	env, err := k.newEnvironment(ctx, q, site)
	if err != nil {
		return err
	}
	for i := range l.Lots {
		x := &l.Lots[i]
		var cuts []time.Time
		for _, e := range events[x.LotID] {
			cuts = append(cuts, assess.CutsAt(e.HappenedAt)...)
		}
		if err := env.load(ctx, []*lot.State{x.State}, cuts...); err != nil {
			return err
		}
		if x.Against, err = refusedToday(site, env, events[x.LotID]); err != nil {
			return err
		}
	}
	return nil
}

// refusedToday lists what was done with a lot that would be refused if it were written now, under the rules in force.
func refusedToday(site Site, env *environment, events []lot.Event) (against []string, err error) {
	var s *lot.State
	for _, e := range events {
		p, err := lot.Decode(e.Kind, e.Data)
		if err != nil {
			return nil, err
		}
		if gated, ok := p.(lot.Gated); ok && s != nil && gated.Asks() != "" && e.ApproverID == 0 {
			facts := assess.Assess(s, env.Env, e.HappenedAt).Facts(p)
			if answer := facts.Answers[gated.Asks()]; !answer.OK && len(answer.Reasons) > 0 {
				against = append(against, fmt.Sprintf("%s: %s", e.Kind.Name(), answer.Reasons[0]))
			}
		}
		if s, err = s.Then(site.Catalogue(), e); err != nil {
			return nil, err
		}
	}
	return against, nil
}
