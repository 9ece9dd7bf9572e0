package lot

import (
	"fmt"
	"slices"

	"github.com/google/uuid"

	"leancatch/internal/core/species"
)

// entry is an event with what it says as it stands: corrected, where it was.
type entry struct {
	Event
	payload Payload
}

// Fold adds up the events of one lot, given in the order of Seq. Voided events count for
// nothing, corrected ones say what they say now; they take effect in the order in which
// they happened. It returns an error for a payload that cannot be read or a lot that does
// not begin with its receipt.
func Fold(c species.Catalogue, events []Event) (*State, error) {
	if len(events) == 0 || kindByID[events[0].Kind].traits&opens == 0 {
		return nil, fmt.Errorf("a lot must begin with its receipt, or as a part of another")
	}
	return (&State{catalogue: c}).With(events...)
}

// With is the state after events that follow those that it was folded from. The state
// itself stays as it is.
func (s *State) With(events ...Event) (*State, error) {
	log := slices.Clone(s.log)
	for _, e := range events {
		p, err := Decode(e.Kind, e.Data)
		if err != nil {
			return nil, fmt.Errorf("event %d of lot %s: %w", e.Seq, e.LotID, err)
		}
		log = append(log, entry{e, p})
	}
	return replay(s.catalogue, log, nil), nil
}

// Then is With for a lot that may not exist yet: s is nil before its first event.
func (s *State) Then(c species.Catalogue, e Event) (*State, error) {
	if s == nil {
		return Fold(c, []Event{e})
	}
	return s.With(e)
}

// About is the event that an event of the lot is about: itself, but for a cancellation or
// a correction the one that it changes. It returns its payload as it stands, nil where it
// is cancelled.
func (s *State) About(e Event) (Event, Payload) {
	at := func(list []entry, id uuid.UUID) int {
		return slices.IndexFunc(list, func(x entry) bool { return x.ID == id })
	}
	for i := at(s.log, e.ID); i >= 0; i = at(s.log, e.ID) {
		if p, ok := s.log[i].payload.(Voided); ok {
			e.ID = p.EventID
		} else if p, ok := s.log[i].payload.(Corrected); ok {
			e.ID = p.EventID
		} else {
			e = s.log[i].Event
			break
		}
	}
	if i := at(s.stands, e.ID); i >= 0 {
		return e, s.stands[i].payload
	}
	return e, nil
}

// replay folds events in the order of Seq. Where stop is given, it is asked before each
// event that counts, in the order in which they happened, with the state before it, nil
// before the first; the fold ends where it returns true.
func replay(c species.Catalogue, log []entry, stop func(before *State, e entry) bool) *State {
	last := log[len(log)-1]
	s := &State{ID: last.LotID, Seq: last.Seq, Head: last.Hash, Status: OnHand, Voids: map[uuid.UUID]*Void{},
		Corrections: map[uuid.UUID][]Correction{}, catalogue: c, log: log}
	s.stands = s.standing()
	for i, e := range s.stands {
		if stop != nil {
			before := s
			if i == 0 {
				before = nil
			}
			if stop(before, e) {
				return s
			}
		}
		s.take(e)
	}
	if v := s.Voids[log[0].ID]; v != nil {
		if r, ok := log[0].payload.(Received); ok {
			s.begin(r, log[0].HappenedAt)
		}
		s.end(Cancelled, v.At)
	}
	return s
}

// standing are the events that were not voided, as corrected, in the order in which they
// happened.
func (s *State) standing() []entry {
	at := map[uuid.UUID]int{}
	for i, e := range s.log {
		at[e.ID] = i
		if v, ok := e.payload.(Voided); ok {
			s.Voids[v.EventID] = &Void{EventID: e.ID, Reason: v.Reason, At: e.HappenedAt, PersonID: e.PersonID}
		}
	}
	list := slices.Clone(s.log)
	for _, e := range s.log {
		c, ok := e.payload.(Corrected)
		if !ok || s.Voids[e.ID] != nil {
			continue
		}
		old := &list[at[c.EventID]]
		p, err := Decode(old.Kind, c.Data)
		if err != nil {
			continue // checked when it was written
		}
		s.Corrections[c.EventID] = append(s.Corrections[c.EventID],
			Correction{EventID: e.ID, Was: old.payload, Reason: c.Reason, At: e.HappenedAt, PersonID: e.PersonID})
		old.payload, old.Data = p, c.Data
	}
	list = slices.DeleteFunc(list, func(e entry) bool {
		if s.Voids[e.ID] != nil && measures[e.Kind] {
			s.CancelledCores = append(s.CancelledCores, e.HappenedAt)
		}
		return s.Voids[e.ID] != nil
	})
	slices.SortStableFunc(list, func(a, b entry) int { return a.HappenedAt.Compare(b.HappenedAt) })
	return list
}

// take lets an event change the state.
func (s *State) take(e entry) {
	if rowOf(e.payload).traits&carried != 0 {
		s.carry(e.Event)
	}
	e.payload.Apply(s, e.Event)
	if rowOf(e.payload).traits&amount == 0 {
		for _, other := range s.Others {
			other.take(e)
		}
	}
}

// carry notes an event that the lots go on with into which the lot is split.
func (s *State) carry(e Event) {
	s.inherited = append(s.inherited, InheritedEvent{e.Kind, e.HappenedAt, e.Data})
}
