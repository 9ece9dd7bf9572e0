// Package history judges the record of one lot, as somebody gives it whole, at chosen moments: by
// the fold, the door, the temperature line, the clocks and the gate by which stored lots are judged.
// Nothing of it is stored.
package history

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
)

// Lot is the record of one lot.
type Lot struct {
	Env        assess.Env // Now is until when it is known; what is asked of later is a forecast
	Received   lot.Received
	ReceivedAt time.Time
	Events     []Event
}

// Event is something that happened to it.
type Event struct {
	At, RecordedAt time.Time
	ByManager      bool
	// Draft makes what the event says, of the lot as it was then. Its error is an invalid.Errors.
	Draft func(Moment) (lot.Payload, error)
}

// Moment is a lot where an event happens to it.
type Moment struct {
	At    time.Time
	State *lot.State
	Env   assess.Env
	ids   []uuid.UUID
}

// Assess is the lot at that moment, with all that was on record when the event was written down.
func (m Moment) Assess() assess.Assessment { return assess.Assess(m.State, m.Env, m.At) }

// EventID is the id of the event with an index; false where there is none before this one.
func (m Moment) EventID(index int) (uuid.UUID, bool) {
	if index < 0 || index >= len(m.ids) || !slices.Contains(m.State.Log(), m.ids[index]) {
		return uuid.Nil, false
	}
	return m.ids[index], true
}

// Judged is a lot at one of the chosen moments.
type Judged struct {
	At       time.Time
	Forecast bool       // later than what is known
	State    *lot.State // nil before it was received
	assess.Assessment
}

// Result is what the product says of the lot.
type Result struct {
	Refused []error // of each event: why it was not admitted; nil where it was
	At      []Judged
}

// Judge lets the events happen in the order in which they were written down, each through the door
// of stored lots, and judges the lot at moments. An event that is refused is left out. The error is
// why the lot could not even be received, an invalid.Errors.
func (l Lot) Judge(ctx context.Context, moments []time.Time) (Result, error) {
	d := desk{lot: l, ids: make([]uuid.UUID, len(l.Events)), result: Result{Refused: make([]error, len(l.Events))}}
	for i := range d.ids {
		d.ids[i] = newID()
	}
	if err := d.receive(); err != nil {
		return Result{}, err
	}
	order := make([]int, len(l.Events))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return l.Events[a].RecordedAt.Compare(l.Events[b].RecordedAt) })
	for _, i := range order {
		if err := ctx.Err(); err != nil {
			return Result{}, err
		}
		d.result.Refused[i] = d.take(i)
	}
	for _, at := range moments {
		if err := ctx.Err(); err != nil {
			return Result{}, err
		}
		judged, err := d.judge(at)
		if err != nil {
			return Result{}, err
		}
		d.result.At = append(d.result.At, judged)
	}
	return d.result, nil
}

// desk is where events are taken in.
type desk struct {
	lot      Lot
	ids      []uuid.UUID // of the events
	state    *lot.State
	chapters [][]lot.Event // that were admitted: of the lot, then of what was cut of it, each time from its first event on
	result   Result
}

// env is the environment as it was when something was written down.
func (d *desk) env(written time.Time) assess.Env {
	e := d.lot.Env
	e.Now = written
	return e
}

func (d *desk) receive() error {
	e := lot.Event{ID: newID(), HappenedAt: d.lot.ReceivedAt, RecordedAt: d.lot.ReceivedAt}
	return d.admit(e, d.env(e.RecordedAt).Facts(), d.lot.Received)
}

// take lets one event happen.
func (d *desk) take(i int) error {
	in := d.lot.Events[i]
	m := Moment{At: in.At, State: d.state, Env: d.env(in.RecordedAt), ids: d.ids}
	p, err := in.Draft(m)
	if err != nil {
		return err
	}
	e := lot.Event{ID: d.ids[i], HappenedAt: in.At, RecordedAt: in.RecordedAt}
	if in.RecordedAt.Before(in.At) {
		return invalid.Errors{{Field: "recorded_at", Message: "lies before it happened"}}
	}
	before, at, subject := d.state.Subject(e, p)
	facts := m.Env.Facts()
	if asksMore(subject) && before != nil {
		facts = assess.Assess(before, m.Env, at.HappenedAt).Facts(subject)
	}
	facts.Manager = in.ByManager
	return d.admit(e, facts, p)
}

// asksMore reports whether an event is admitted, or made, by what the record of the lot says, and not
// by its own words alone.
func asksMore(p lot.Payload) bool {
	switch p.(type) {
	case lot.Gated, lot.Weighed, lot.DailyCheck, lot.TakenDown, lot.Pulled:
		return true
	}
	return false
}

func (d *desk) admit(e lot.Event, facts lot.Facts, p lot.Payload) error {
	admitted, err := lot.Admit(d.state, facts, e, p)
	if err != nil {
		return err
	}
	if e.Data, err = json.Marshal(admitted.Payload); err != nil {
		return invalid.Errors{{Field: string(lot.KindOf(p)), Message: err.Error()}}
	}
	if d.state == nil {
		d.chapters = append(d.chapters, nil)
	}
	last := &d.chapters[len(d.chapters)-1]
	e.Kind, e.Seq = lot.KindOf(p), len(*last)+1
	before := d.state
	next, err := before.Then(d.lot.Env.Catalogue, e)
	if err != nil {
		return err
	}
	d.state, *last = next, append(*last, e)
	if cut, ok := admitted.Payload.(lot.Cut); ok {
		return d.goOn(before, e, cut)
	}
	return nil
}

// goOn lets the record go on with the first part of a cut that stayed; with what was not cut, where none did.
func (d *desk) goOn(before *lot.State, e lot.Event, cut lot.Cut) error {
	i := slices.IndexFunc(cut.Parts, func(p lot.CutPart) bool { return !p.To.Leaves() })
	if i < 0 {
		return nil
	}
	d.state = nil
	first := lot.InheritCut(before, e.Hash, e, cut, i)
	return d.admit(lot.Event{ID: newID(), LotID: cut.Parts[i].LotID, HappenedAt: e.HappenedAt, RecordedAt: e.RecordedAt},
		d.env(e.RecordedAt).Facts(), first)
}

// judge is the lot at a moment: by the events that had happened and were written down.
func (d *desk) judge(at time.Time) (Judged, error) {
	out := Judged{At: at, Forecast: at.After(d.lot.Env.Now)}
	var known []lot.Event
	for _, chapter := range slices.Backward(d.chapters) {
		for _, e := range chapter {
			if !e.HappenedAt.After(at) && !e.RecordedAt.After(at) {
				e.Seq = len(known) + 1
				known = append(known, e)
			}
		}
		if len(known) > 0 && known[0].ID == chapter[0].ID {
			break
		}
		known = nil
	}
	if len(known) == 0 {
		return out, nil
	}
	state, err := lot.Fold(d.lot.Env.Catalogue, known)
	if err != nil {
		return out, err
	}
	env := d.lot.Env
	if !out.Forecast {
		env.Now = at
	}
	out.State, out.Assessment = state, assess.Assess(state, env, at)
	return out, nil
}

func newID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

// Fields are the errors of an event by its fields.
func Fields(err error) invalid.Errors {
	var fields invalid.Errors
	if err != nil && !errors.As(err, &fields) {
		fields = invalid.Errors{{Field: "lot", Message: err.Error()}}
	}
	return fields
}
