package kitchen

import (
	"context"
	"encoding/json"
	"errors"
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

// Write is an event to be appended to a lot.
type Write struct {
	EventID    uuid.UUID // from the client: the same id twice is one event
	LotID      uuid.UUID
	Seen       int // the lot's sequence number when the person decided; 0 to append whatever happened since
	HappenedAt time.Time
	Payload    lot.Payload
}

// Append adds an event to a lot. Where the lot has moved on since Seen it
// returns *Changed and stores nothing; where the event is there already it does
// nothing. Bad input is an invalid.Errors, a lot that is gone ErrNotFound.
func (k *Kitchen) Append(ctx context.Context, w Write) error { return k.AppendAll(ctx, w) }

// AppendAll adds several events to one lot, all or none, as Append does; the
// first one's Seen counts for all.
func (k *Kitchen) AppendAll(ctx context.Context, writes ...Write) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	if len(writes) == 0 {
		return nil
	}
	places, err := k.placesFor(ctx, a, writes)
	if err != nil {
		return err
	}
	for i := range writes {
		writes[i].Payload = signed(writes[i].Payload, a)
	}
	first := writes[0]
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		head, known, err := k.lock(ctx, tx, a, first.LotID, first.EventID, first.Seen)
		if err != nil || known {
			return err
		}
		for _, w := range writes {
			if head, err = k.append(ctx, tx, a, head, w); err != nil {
				return err
			}
			if err := k.iceOf(ctx, tx, a, places, w); err != nil {
				return err
			}
		}
		if err := k.refresh(ctx, tx, a.Site, first.LotID); err != nil {
			return err
		}
		// a fish taken down changes the coefficients of its cabinet
		if slices.ContainsFunc(writes, func(w Write) bool { return w.Payload.Kind() == lot.KindTakenDown }) {
			if err := k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool {
				return string(b.Aged) != "null" && b.LotID != first.LotID
			}); err != nil {
				return err
			}
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// placesFor loads the places where an event names one, and checks that it is
// the kitchen's; nil where none does.
func (k *Kitchen) placesFor(ctx context.Context, a Actor, writes []Write) (map[int64]lot.Place, error) {
	var places map[int64]lot.Place
	for _, w := range writes {
		var id int64
		switch x := w.Payload.(type) {
		case lot.Moved:
			id = x.PlaceID
		case lot.Froze:
			id = x.PlaceID
		case lot.Pulled:
			id = x.PlaceID
		case lot.Returned:
			id = x.PlaceID
		case lot.Iced:
			if x.PlaceID == 0 { // somebody else's ice
				continue
			}
			id = x.PlaceID
		default:
			continue
		}
		if places == nil {
			l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
			if err != nil {
				return nil, err
			}
			places = l.places
		}
		if _, ok := places[id]; !ok {
			return nil, invalid.Errors{{Field: "place_id", Message: "choose a place of this kitchen"}}
		}
	}
	return places, nil
}

// signed notes in a payload that needs a manager's approval whether one gave it,
// and judges a test by its plan, whatever the client made of it.
func signed(p lot.Payload, a Actor) lot.Payload {
	if x, ok := p.(lot.Tested); ok {
		x.Met, x.Finding = x.Plan.Judge(x.Results)
		p = x
	}
	return withApproval(p, a.IsManager())
}

// withApproval is the payload with a manager's approval, or without.
func withApproval(p lot.Payload, given bool) lot.Payload {
	switch x := p.(type) {
	case lot.Inspected:
		x.ByManager = given
		return x
	case lot.Released:
		x.ByManager = given
		return x
	case lot.Tested:
		x.ByManager = given
		return x
	case lot.GapExplained:
		x.ByManager = given
		return x
	case lot.Returned:
		x.ByManager = given
		return x
	case lot.Hung:
		x.ByManager = given
		return x
	}
	return p
}

// overrides reports whether the event stands by a manager's approval alone.
func (k *Kitchen) overrides(before *lot.State, e lot.Event, p lot.Payload) bool {
	if x, ok := p.(lot.Hung); ok {
		return x.ByManager && x.Opened != ""
	}
	var bad invalid.Errors
	return errors.As(lot.Check(before, e, withApproval(p, false), k.Now()), &bad) && bad.OnlyManager()
}

// lock takes the head of a lot's chain for an event to come. known reports that
// the event is there already: a resent form. Where the lot has moved on since
// seen, the error is *Changed.
func (k *Kitchen) lock(ctx context.Context, tx *store.Tx, a Actor, lotID, eventID uuid.UUID,
	seen int) (head store.Lot, known bool, err error) {
	head, err = tx.LockLot(ctx, store.LockLotParams{SiteID: a.Site.ID, ID: lotID})
	if err != nil {
		return head, false, fmt.Errorf("lot %s: %w", lotID, err)
	}
	event, err := tx.EventByID(ctx, store.EventByIDParams{SiteID: a.Site.ID, ID: eventID})
	if err == nil {
		if event.LotID != lotID {
			return head, false, invalid.Errors{{Field: "id", Message: "is the id of an event of another lot"}}
		}
		return head, true, nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return head, false, err
	}
	if seen == 0 || int64(seen) == head.HeadSeq {
		return head, false, nil
	}
	events, err := k.events(ctx, tx.Queries, a.Site.ID, lotID)
	if err != nil {
		return head, false, err
	}
	since := events[lotID]
	entries, err := k.entries(ctx, tx.Queries, a, since[min(seen, len(since)):])
	if err != nil {
		return head, false, err
	}
	return head, false, &Changed{Seq: int(head.HeadSeq), Events: entries}
}

// append checks the event against the lot and writes it at the head, which the
// transaction has locked. It returns the new head.
func (k *Kitchen) append(ctx context.Context, tx *store.Tx, a Actor, head store.Lot, w Write) (store.Lot, error) {
	var before *lot.State
	if head.HeadSeq > 0 {
		states, err := k.states(ctx, tx.Queries, a.Site.ID, w.LotID)
		if err != nil {
			return head, err
		}
		before = states[0]
	}
	e, err := k.event(a, head, w)
	if err != nil {
		return head, err
	}
	if err := lot.Check(before, e, w.Payload, k.Now()); err != nil {
		return head, err
	}
	if k.overrides(before, e, w.Payload) {
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActOverride, string(e.Kind)+" of lot "+
			before.Received.Code); err != nil {
			return head, err
		}
	}
	switch p := w.Payload.(type) {
	case lot.Left:
		err = k.mayUse(ctx, tx, a, before)
	case lot.Packed:
		err = lot.MayPack(before, p.Packing, a.Profile())
	case lot.Froze:
		err = k.mayFreeze(ctx, tx, a, before, p)
	case lot.Hung:
		err = k.mayHang(ctx, tx, a, before, p, w.HappenedAt)
	case lot.Weighed:
		err = k.mayWeigh(ctx, tx, a, before, p, w.HappenedAt)
	case lot.Cooked:
		err = k.mayCook(ctx, tx, a, before, p)
	case lot.Moved:
		err = k.mayMove(ctx, tx, a, before, p.PlaceID)
	}
	if err != nil {
		return head, err
	}
	err = tx.AddEvent(ctx, store.AddEventParams{SiteID: a.Site.ID, LotID: w.LotID, Seq: int64(e.Seq), ID: e.ID,
		Kind:       string(e.Kind),
		HappenedAt: e.HappenedAt, RecordedAt: e.RecordedAt, PersonID: e.PersonID, ApproverID: approverID(e),
		Data: e.Data, PrevHash: e.PrevHash, Hash: e.Hash})
	if err != nil {
		return head, fmt.Errorf("writing the event: %w", err)
	}
	head.HeadSeq, head.HeadHash = int64(e.Seq), e.Hash
	return head, tx.SetHead(ctx, store.SetHeadParams{SiteID: a.Site.ID, ID: w.LotID, HeadSeq: head.HeadSeq,
		HeadHash: head.HeadHash})
}

// mayUse refuses the use of a lot that a safety clock stops, for
// every role.
func (k *Kitchen) mayUse(ctx context.Context, tx *store.Tx, a Actor, s *lot.State) error {
	if !s.Species().HistamineRules() && len(s.Packs) == 0 {
		return nil
	}
	w, err := k.environmentFor(ctx, tx.Queries, a.Site, s)
	if err != nil {
		return err
	}
	told := assess.Assess(s, w.Env)
	if b := told.Histamine; b != nil && b.Holds() {
		return invalid.Errors{{Field: "lot", Message: b.Text() +
			": it needs a manager, with an explanation of the missing hours, a test or a discard"}}
	}
	if o := told.Oxygen; o != nil && o.Holds() {
		return invalid.Errors{{Field: "lot", Message: o.Text() +
			": discard it, or let a manager explain the missing hours"}}
	}
	return nil
}

// event makes the event that follows the head of the chain.
func (k *Kitchen) event(a Actor, head store.Lot, w Write) (lot.Event, error) {
	data, err := json.Marshal(w.Payload)
	if err != nil {
		// NaN or an infinity
		return lot.Event{}, invalid.Errors{{Field: string(w.Payload.Kind()), Message: err.Error()}}
	}
	e := lot.Event{ID: w.EventID, LotID: w.LotID, Seq: int(head.HeadSeq) + 1, Kind: w.Payload.Kind(),
		HappenedAt: w.HappenedAt.UTC().Truncate(time.Microsecond),
		RecordedAt: k.Now(), PersonID: a.Person.ID, Data: data, PrevHash: head.HeadHash}
	if a.Approver != nil {
		e.ApproverID = a.Approver.ID
	}
	e.Hash = e.Digest()
	return e, nil
}

func approverID(e lot.Event) *int64 {
	if e.ApproverID == 0 {
		return nil
	}
	return &e.ApproverID
}

// events loads the events of lots, by lot and in order.
func (k *Kitchen) events(ctx context.Context, q *store.Queries, site int64,
	lots ...uuid.UUID) (map[uuid.UUID][]lot.Event, error) {
	rows, err := q.EventsOfLots(ctx, store.EventsOfLotsParams{SiteID: site, Lots: lots})
	if err != nil {
		return nil, fmt.Errorf("loading events: %w", err)
	}
	events := map[uuid.UUID][]lot.Event{}
	for _, r := range rows {
		e := lot.Event{ID: r.ID, LotID: r.LotID, Seq: int(r.Seq), Kind: lot.Kind(r.Kind), HappenedAt: r.HappenedAt,
			RecordedAt: r.RecordedAt, PersonID: r.PersonID, Data: r.Data, PrevHash: r.PrevHash, Hash: r.Hash}
		if r.ApproverID != nil {
			e.ApproverID = *r.ApproverID
		}
		events[r.LotID] = append(events[r.LotID], e)
	}
	return events, nil
}

// states folds lots, in the order asked for. A lot without events is ErrNotFound.
func (k *Kitchen) states(ctx context.Context, q *store.Queries, site int64, lots ...uuid.UUID) ([]*lot.State, error) {
	events, err := k.events(ctx, q, site, lots...)
	if err != nil {
		return nil, err
	}
	states := make([]*lot.State, len(lots))
	for i, id := range lots {
		if len(events[id]) == 0 {
			return nil, fmt.Errorf("lot %s: %w", id, ErrNotFound)
		}
		if states[i], err = lot.Fold(events[id]); err != nil {
			return nil, err
		}
	}
	return states, nil
}

// entries reads events with who wrote them.
func (k *Kitchen) entries(ctx context.Context, q *store.Queries, a Actor, events []lot.Event) ([]Entry, error) {
	people, err := q.People(ctx, a.Site.ID)
	if err != nil {
		return nil, err
	}
	names := map[int64]string{}
	for _, p := range people {
		names[p.ID] = p.Name
	}
	entries := make([]Entry, len(events))
	for i, e := range events {
		payload, err := lot.Decode(e.Kind, e.Data)
		if err != nil {
			return nil, err
		}
		entries[i] = Entry{Event: e, Payload: payload, Person: names[e.PersonID], Approver: names[e.ApproverID]}
	}
	return entries, nil
}
