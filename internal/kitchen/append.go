package kitchen

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

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
	return k.change(ctx, func(c *change) error {
		if len(writes) == 0 {
			return nil
		}
		l, err := c.openOne(ctx, writes[0])
		if err != nil || l == nil {
			return err
		}
		return c.append(ctx, l, writes...)
	})
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
func (k *Kitchen) states(ctx context.Context, q *store.Queries, site Site, lots ...uuid.UUID) ([]*lot.State, error) {
	events, err := k.events(ctx, q, site.ID, lots...)
	if err != nil {
		return nil, err
	}
	states := make([]*lot.State, len(lots))
	for i, id := range lots {
		if len(events[id]) == 0 {
			return nil, fmt.Errorf("lot %s: %w", id, ErrNotFound)
		}
		if states[i], err = lot.Fold(site.Catalogue(), events[id]); err != nil {
			return nil, err
		}
	}
	return states, nil
}

// entries reads events with who wrote them.
func (k *Kitchen) entries(ctx context.Context, q *store.Queries, a Actor, events []lot.Event) ([]Entry, error) {
	names, err := peopleNames(ctx, q, a.Site.ID)
	if err != nil {
		return nil, err
	}
	return entriesBy(names, events)
}

// peopleNames are those of a kitchen, of who left too, by their ids.
func peopleNames(ctx context.Context, q *store.Queries, site int64) (map[int64]string, error) {
	people, err := q.People(ctx, site)
	if err != nil {
		return nil, fmt.Errorf("loading people: %w", err)
	}
	names := map[int64]string{}
	for _, p := range people {
		names[p.ID] = p.Name
	}
	return names, nil
}

func entriesBy(names map[int64]string, events []lot.Event) ([]Entry, error) {
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

// correct puts what entries say as it stands in the place of what was written, and keeps that.
func correct(entries []Entry, s *lot.State) {
	for i, e := range entries {
		for _, x := range s.Corrections[e.ID] {
			entries[i].Was = append(entries[i].Was, x.Was)
		}
		if _, stands := s.About(e.Event); len(entries[i].Was) > 0 && stands != nil {
			entries[i].Payload = stands
		}
	}
}
