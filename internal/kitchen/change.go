package kitchen

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// change is what one transaction does to lots. Each lot is locked, loaded and folded once;
// each event is admitted at its time, appended, and folded in memory; at the end the lots
// are projected.
type change struct {
	*store.Tx
	k    *Kitchen
	a    Actor
	lots []*changedLot
	env  *environment // nil until something is assessed
	down bool         // a fish was taken down, or an entry about one was changed
	// corrections follow that of the cut which a lot came of
	following bool
}

// changedLot is a lot that is changed.
type changedLot struct {
	head  store.Lot
	was   *lot.State // as it was loaded; nil for a lot that is new
	state *lot.State // as it is now; nil before the first event of a lot that is new
	// something was reserved of it when it was opened
	reserved bool
}

// change runs do in one transaction, which the actor needs the right to write for, then
// projects the lots that it changed and announces it.
func (k *Kitchen) change(ctx context.Context, do func(*change) error) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		c := &change{Tx: tx, k: k, a: a}
		if err := do(c); err != nil {
			return err
		}
		if err := c.project(ctx); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// open locks and loads the lots that writes are for, in their order. A lot is nil where
// the event of its write is stored already: a form that was sent twice. Where a lot has
// moved on since Seen, the error is *Changed.
func (c *change) open(ctx context.Context, writes ...Write) ([]*changedLot, error) {
	lots, ids := make([]uuid.UUID, len(writes)), make([]uuid.UUID, len(writes))
	for i, w := range writes {
		lots[i], ids[i] = w.LotID, w.EventID
	}
	heads, err := c.LockLots(ctx, store.LockLotsParams{SiteID: c.a.Site.ID, Lots: lots})
	if err != nil {
		return nil, err
	}
	stored, err := c.EventsByID(ctx, store.EventsByIDParams{SiteID: c.a.Site.ID, Ids: ids})
	if err != nil {
		return nil, err
	}
	var waiting []store.ApprovalRequest
	if c.a.Asks {
		if waiting, err = c.RequestsByID(ctx, store.RequestsByIDParams{SiteID: c.a.Site.ID, Ids: ids}); err != nil {
			return nil, err
		}
	}
	events, err := c.k.events(ctx, c.Queries, c.a.Site.ID, lots...)
	if err != nil {
		return nil, err
	}
	out := make([]*changedLot, len(writes))
	for i, w := range writes {
		n := slices.IndexFunc(heads, func(h store.LockLotsRow) bool { return h.Lot.ID == w.LotID })
		if n < 0 || len(events[w.LotID]) == 0 {
			return nil, fmt.Errorf("lot %s: %w", w.LotID, ErrNotFound)
		}
		if j := slices.IndexFunc(stored, func(e store.LotEvent) bool { return e.ID == w.EventID }); j >= 0 {
			if stored[j].LotID != w.LotID {
				return nil, invalid.Errors{{Field: "id", Message: "is the id of an event of another lot"}}
			}
			continue
		}
		if slices.ContainsFunc(waiting, func(r store.ApprovalRequest) bool { return r.ID == w.EventID && r.LotID == w.LotID }) {
			continue
		}
		head := heads[n].Lot
		if w.Seen != 0 && int64(w.Seen) != head.HeadSeq {
			since := events[w.LotID]
			entries, err := c.k.entries(ctx, c.Queries, c.a, since[min(w.Seen, len(since)):])
			if err != nil {
				return nil, err
			}
			return nil, &Changed{Seq: int(head.HeadSeq), Events: entries}
		}
		s, err := lot.Fold(c.a.Site.Catalogue(), events[w.LotID])
		if err != nil {
			return nil, err
		}
		out[i] = &changedLot{head: head, was: s, state: s, reserved: heads[n].Reserved}
		c.lots = append(c.lots, out[i])
	}
	return out, nil
}

// openOne opens a lot; nil for a form that was sent twice.
func (c *change) openOne(ctx context.Context, w Write) (*changedLot, error) {
	lots, err := c.open(ctx, w)
	if err != nil {
		return nil, err
	}
	return lots[0], nil
}

// write opens a lot and appends to it.
func (c *change) write(ctx context.Context, w Write) error {
	l, err := c.openOne(ctx, w)
	if err != nil || l == nil {
		return err
	}
	return c.append(ctx, l, w)
}

// add makes a lot that has no event yet.
func (c *change) add(ctx context.Context, id uuid.UUID, code string, delivery uuid.UUID) (*changedLot, error) {
	if err := c.AddLot(ctx, store.AddLotParams{SiteID: c.a.Site.ID, ID: id, Code: code,
		DocketID: delivery}); err != nil {
		return nil, fmt.Errorf("adding lot %s: %w", code, err)
	}
	l := &changedLot{head: store.Lot{SiteID: c.a.Site.ID, ID: id, HeadHash: []byte{}}}
	c.lots = append(c.lots, l)
	return l, nil
}

// newNumber makes the id and the code of a new lot.
func (c *change) newNumber(ctx context.Context) (id uuid.UUID, code string, err error) {
	n, err := c.TakeLotNumber(ctx, c.a.Site.ID)
	return NewID(), lot.Code(int(n)), err
}

// append admits events to a lot and writes them at its head, one after the other. Errors
// are those of lot.Admit.
func (c *change) append(ctx context.Context, l *changedLot, writes ...Write) error {
	for _, w := range writes {
		write := c.appendOne
		if _, ok := w.Payload.(lot.Cut); ok {
			write = c.cut
		}
		if err := write(ctx, l, w); err != nil {
			return err
		}
	}
	return nil
}

func (c *change) appendOne(ctx context.Context, l *changedLot, w Write) error {
	if x, ok := w.Payload.(lot.Corrected); ok {
		var err error
		if w.Payload, err = c.complete(ctx, l.state, x); err != nil {
			return err
		}
	}
	e, next, err := c.event(l, w, w.Payload)
	if err != nil {
		return err
	}
	facts, err := c.facts(ctx, l.state, next, e, w.Payload)
	if err != nil {
		return err
	}
	admitted, err := lot.Admit(l.state, facts, e, w.Payload)
	if err != nil {
		return c.orWait(ctx, l, w, err)
	}
	if e, next, err = c.event(l, w, admitted.Payload); err != nil {
		return err
	}
	if admitted.Approved {
		if err := c.k.audit(ctx, c.Tx, c.a.Site.ID, c.a.Person, ActOverride, e.Kind.Name()+", lot "+
			next.Received.Code); err != nil {
			return err
		}
	}
	err = c.AddEvent(ctx, store.AddEventParams{SiteID: c.a.Site.ID, LotID: e.LotID, Seq: int64(e.Seq), ID: e.ID,
		Kind: string(e.Kind), HappenedAt: e.HappenedAt, RecordedAt: e.RecordedAt, PersonID: e.PersonID,
		ApproverID: approverID(e), Data: e.Data, PrevHash: e.PrevHash, Hash: e.Hash})
	if err != nil {
		return fmt.Errorf("writing the event: %w", err)
	}
	l.head.HeadSeq, l.head.HeadHash, l.state = int64(e.Seq), e.Hash, next
	about, p := next.About(e)
	if about.ID != e.ID {
		if err := c.cutsFollow(ctx, l); err != nil {
			return err
		}
	}
	c.down = c.down || about.Kind == lot.KindFor[lot.TakenDown]()
	if about.ID != e.ID {
		if err := c.thawStepFollows(ctx, next, about, p); err != nil {
			return err
		}
	}
	return c.ice(ctx, next, about, p)
}

// event is the event that follows the head of a lot, and the state after it.
func (c *change) event(l *changedLot, w Write, p lot.Payload) (lot.Event, *lot.State, error) {
	data, err := json.Marshal(p)
	if err != nil {
		// NaN or an infinity
		return lot.Event{}, nil, invalid.Errors{{Field: string(lot.KindOf(p)), Message: err.Error()}}
	}
	e := lot.Event{ID: w.EventID, LotID: l.head.ID, Seq: int(l.head.HeadSeq) + 1, Kind: lot.KindOf(p),
		HappenedAt: w.HappenedAt.UTC().Truncate(time.Microsecond),
		RecordedAt: c.k.Now(), PersonID: c.a.Person.ID, Data: data, PrevHash: l.head.HeadHash}
	if c.a.Approver != nil {
		e.ApproverID = c.a.Approver.ID
	}
	e.Hash = e.Digest()
	next, err := l.state.Then(c.a.Site.Catalogue(), e)
	return e, next, err
}

func approverID(e lot.Event) *int64 {
	if e.ApproverID == 0 {
		return nil
	}
	return &e.ApproverID
}

// facts are what an event is admitted by: the lot is assessed when it happened, with all
// that is on record. What the state after it will need is loaded with it.
func (c *change) facts(ctx context.Context, s, next *lot.State, e lot.Event, p lot.Payload) (lot.Facts, error) {
	before, at, payload := s.Subject(e, p)
	if err := c.load(ctx, at.HappenedAt, before, next); err != nil {
		return lot.Facts{}, err
	}
	facts := c.env.Facts()
	if before != nil {
		if hung, ok := payload.(lot.Hung); ok {
			if err := c.env.loadGate(ctx, hung.PlaceID, at.HappenedAt); err != nil {
				return facts, err
			}
		}
		facts = assess.Assess(before, c.env.Env, at.HappenedAt).Facts(payload)
		if _, ok := payload.(lot.Hung); ok {
			var err error
			if facts.Hooks, err = c.k.hooks(ctx, c.Queries, c.a.Site.ID, before.ID); err != nil {
				return facts, err
			}
		}
	}
	facts.Manager, facts.WageCents, facts.FollowsCut = c.a.IsManager(), c.a.Site.WageCents, c.following
	return facts, nil
}

// load loads what the clocks of lots draw on, now and at another time.
func (c *change) load(ctx context.Context, at time.Time, states ...*lot.State) error {
	if c.env == nil {
		var err error
		if c.env, err = c.k.newEnvironment(ctx, c.Queries, c.a.Site); err != nil {
			return err
		}
	}
	states = slices.DeleteFunc(slices.Clone(states), func(s *lot.State) bool { return s == nil })
	return c.env.load(ctx, states, assess.CutsAt(at)...)
}

// states are those of all lots that were opened.
func (c *change) states() []*lot.State {
	var list []*lot.State
	for _, l := range c.lots {
		if l.state != nil {
			list = append(list, l.state)
		}
	}
	return list
}

// project assesses the lots that were changed and puts them on the board.
func (c *change) project(ctx context.Context) error {
	var changed []*changedLot
	for _, l := range c.lots {
		if l.state != l.was {
			changed = append(changed, l)
		}
	}
	if len(changed) == 0 {
		return nil
	}
	var moved []*lot.State // their sources are others now
	for _, l := range changed {
		row, err := project(c.a.Site.ID, l.state, c.env.Env)
		if err != nil {
			return err
		}
		if _, err := c.PutBoard(ctx, row); err != nil {
			return fmt.Errorf("projecting lot %s: %w", l.state.Received.Code, err)
		}
		if len(l.state.Cuts) > 0 {
			if err := putCuts(ctx, c.Tx, c.a.Site.ID, l.state); err != nil {
				return err
			}
		}
		if l.was == nil || !sameSources(l.was, l.state) {
			moved = append(moved, l.state)
		}
	}
	if err := putLinks(ctx, c.Tx, c.a.Site.ID, moved...); err != nil {
		return err
	}
	if err := putSources(ctx, c.Tx, c.a.Site.ID, c.env.Places, moved...); err != nil {
		return err
	}
	if err := c.follow(ctx); err != nil {
		return err
	}
	if !c.down {
		return nil
	}
	// a fish taken down changes the coefficients of its cabinet
	return c.k.refreshOnHand(ctx, c.Tx, c.a.Site, func(b store.LotBoard) bool { return string(b.Aged) != "null" })
}
