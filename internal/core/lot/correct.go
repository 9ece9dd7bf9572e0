package lot

import (
	"bytes"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
)

// Voided marks another event of the lot as never having happened.
type Voided struct {
	EventID uuid.UUID `json:"event_id"`
	Reason  string    `json:"reason"`
}

// Corrected replaces what an earlier event of the lot says; when it happened stays. The
// last correction of an event counts. To withdraw it is to void it.
type Corrected struct {
	EventID uuid.UUID       `json:"event_id"`
	Data    json.RawMessage `json:"data"` // a payload of the kind of the event, whole
	Reason  string          `json:"reason"`
}

// Void says why an event is struck through.
type Void struct {
	EventID  uuid.UUID // the voiding event
	Reason   string
	At       time.Time
	PersonID int64
}

// Correction is a correction that stands.
type Correction struct {
	EventID  uuid.UUID // the correcting event
	Was      Payload   // what it replaced
	Reason   string
	At       time.Time
	PersonID int64
}

// keeper is a payload that names or numbers something outside its lot, which a correction
// has to leave as it is. It adds the fields of which that is not so.
type keeper interface {
	keeps(was Payload, bad *invalid.Errors)
}

// keep adds an error for a field unless a correction leaves it as it is.
func keep[T comparable](field string, now, was T, bad *invalid.Errors) {
	if now != was {
		bad.Add(field, "cannot be corrected")
	}
}

func (p Voided) Check(before *State, _ time.Time, bad *invalid.Errors) {
	e, ok := mayChange(before, p.EventID, bad)
	switch {
	case !ok:
	case kept[e.Kind] != "":
		bad.Add("event_id", "%s", kept[e.Kind])
	case e.ID == before.log[0].ID && len(before.Others) > 0:
		bad.Add("event_id", "is how the lot began, and another was put together with it: hold or discard the lot")
	case measures[e.Kind]:
		bad.NeedsManager("lot", "cancelling a temperature needs a manager: the hours around it are then not known; "+
			"what was misread is corrected")
	}
	reason(p.Reason, bad)
}

// kept are the kinds of event that are not cancelled, since another lot rests on them, and what is done instead.
var kept = map[Kind]string{
	KindFor[SplitFrom](): "is how the lot began: hold or discard the lot",
	KindFor[Arrived]():   "is how the lot began: hold or discard the lot",
	KindFor[Merged]():    "put two lots together: their fish are told apart no more",
	KindFor[SplitOff]():  "is how another lot began: put the two together again",
	KindFor[Sent]():      "is how a lot of another kitchen began: have it sent back",
	KindFor[Cut]():       "is a cut, and its parts are other lots: correct what they weigh",
}

// Kept reports whether events of the kind are not cancelled.
func (k Kind) Kept() bool { return kept[k] != "" }

// measures are the kinds of event that say how warm the core was.
var measures = map[Kind]bool{KindFor[Temperature](): true, KindFor[Thawed](): true, KindFor[Returned](): true,
	KindFor[Cooked](): true}

// Apply implements Payload: the fold leaves out the event that was voided.
func (Voided) Apply(*State, Event) {}

func (p Corrected) Check(before *State, _ time.Time, bad *invalid.Errors) {
	mayChange(before, p.EventID, bad)
	reason(p.Reason, bad)
}

// Apply implements Payload: the fold reads the correction in the place of the event.
func (Corrected) Apply(*State, Event) {}

// mayChange adds an error unless an event of the lot stands and may be changed.
func mayChange(before *State, id uuid.UUID, bad *invalid.Errors) (entry, bool) {
	if before == nil {
		bad.Add("lot", "was never received")
		return entry{}, false
	}
	i := slices.IndexFunc(before.log, func(e entry) bool { return e.ID == id })
	switch {
	case i < 0:
		bad.Add("event_id", "is not an event of this lot")
	case before.Status == WasCut && before.log[i].Kind != KindFor[Cut]() && before.log[i].Kind != KindFor[SplitFrom]():
		bad.Add("event_id", "belongs to a lot that was cut up: correct the lots of its parts")
	case before.Status == WasMerged:
		bad.Add("event_id", "belongs to a lot that was put together with another")
	case before.Status == WasSplit:
		bad.Add("event_id", "belongs to a lot that was split: correct the lots that it was split into")
	case before.log[i].Kind == KindFor[Voided]():
		bad.Add("event_id", "a cancelled entry cannot be brought back: write it again")
	case before.Voids[id] != nil:
		bad.Add("event_id", "is cancelled already")
	default:
		return before.log[i], true
	}
	return entry{}, false
}

// admitCorrection judges the event that is corrected as it now stands, in its old place:
// the errors of its payload are on "data.…". What happened after it must still be
// possible.
func (s *State) admitCorrection(f Facts, e Event, c Corrected, bad invalid.Errors) (Admission, error) {
	c.Check(s, e.HappenedAt, &bad)
	if err := bad.Err(); err != nil {
		return Admission{}, err
	}
	before, old := s.before(c.EventID)
	if !old.Kind.Correctable() && !(f.FollowsCut && old.Kind == KindFor[SplitFrom]()) {
		return Admission{}, invalid.Errors{{Field: "event_id",
			Message: old.Kind.Name() + " cannot be corrected: cancel it and write it again"}}
	}
	payload, err := Decode(old.Kind, c.Data)
	if err != nil {
		return Admission{}, invalid.Errors{{Field: "data", Message: err.Error()}}
	}
	in, err := admit(before, f, old.Event, payload, nil)
	if fields, ok := err.(invalid.Errors); ok {
		return Admission{}, fields.Under("data.")
	}
	if k, ok := in.Payload.(keeper); ok {
		k.keeps(old.payload, &bad)
	}
	if c.Data, err = json.Marshal(in.Payload); err != nil {
		return Admission{}, invalid.Errors{{Field: "data", Message: err.Error()}}
	}
	if same, err := json.Marshal(old.payload); err == nil && bytes.Equal(same, c.Data) {
		bad.Add("data", "is as it was")
	}
	if bad = bad.Under("data."); len(bad) == 0 {
		s.stillPossible(e, c, &bad)
	}
	return Admission{c, in.Approved}, bad.Err()
}

// stillPossible adds an error for each event that was possible where it stands and is
// not any more after a correction.
func (s *State) stillPossible(e Event, c Corrected, bad *invalid.Errors) {
	failing := func(log []entry) map[uuid.UUID]string {
		failed := map[uuid.UUID]string{}
		replay(s.catalogue, log, func(before *State, e entry) bool {
			var wrong invalid.Errors
			if e.payload.Check(before, e.HappenedAt, &wrong); len(wrong) > 0 && !wrong.OnlyManager() {
				failed[e.ID] = wrong[0].Message
			}
			return false
		})
		return failed
	}
	e.Kind = KindOf(c)
	was, now := failing(s.log), failing(append(slices.Clone(s.log), entry{e, c}))
	for _, x := range s.log {
		if why, fails := now[x.ID]; fails && was[x.ID] == "" && x.ID != c.EventID {
			bad.Add("data", "then %q could not be: %s", x.Kind.Name(), why)
		}
	}
}

// before is an event of the lot as it stands, with the state before it in the order in
// which things happened: nil for the first.
func (s *State) before(id uuid.UUID) (before *State, e entry) {
	replay(s.catalogue, s.log, func(state *State, at entry) bool {
		if at.ID != id {
			return false
		}
		before, e = state, at
		return true
	})
	return before, e
}
