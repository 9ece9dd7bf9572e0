package lot

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
)

// Merged says that another lot of the same species and form was put together with this one. From then on the fish of
// both are told apart no more: the record of each counts, and at each clock the worse of them.
type Merged struct {
	With SplitFrom `json:"with"` // the other as it was, whole
}

// PutWith ends a lot that was put together with another.
type PutWith struct {
	LotID uuid.UUID `json:"lot_id"`
	Code  string    `json:"code"`
}

// mostTogether bounds the records that count for the fish of a lot, beside its own.
const mostTogether = 20

// unlike says why two lots cannot be put together; "" for nothing.
func unlike(a, b *State) string {
	switch {
	case a.ID == b.ID:
		return "is the lot itself"
	case a.Received.SpeciesID != b.Received.SpeciesID:
		return "is another species"
	case a.Form != b.Form:
		return "is in another form"
	case len(a.Others)+len(b.Others) >= mostTogether:
		return fmt.Sprintf("more than %d records would count for its fish", mostTogether)
	}
	return cmp.Or(a.KeepsToItself(), b.KeepsToItself())
}

// KeepsToItself says why a lot is not put together with another, whatever that is; "" for nothing.
func (s *State) KeepsToItself() string {
	switch {
	case s.Frozen() || s.Thaw() != nil:
		return "frozen or thawed fish keeps to itself"
	case s.Ageing() != nil:
		return "fish in the ageing cabinet keeps to itself"
	case s.Cooked != nil:
		return "cooked fish keeps to itself"
	case s.Hold != "":
		return "what is on hold keeps to itself"
	}
	return ""
}

// Merge makes the events by which a lot is put together with another, whose last event has the hash head: the first is
// of the lot that goes on, the second of the other, which ends.
func Merge(into, other *State, head []byte) (Merged, PutWith, error) {
	if why := unlike(into, other); why != "" {
		return Merged{}, PutWith{}, invalid.Errors{{Field: "with", Message: why}}
	}
	whole := SplitLot{LotID: other.ID, Code: other.Received.Code, Count: other.Count, WeightKg: other.WeightKg}
	with := Inherit(other, head, whole, nil)
	with.CostCents = other.CostCents
	return Merged{with}, PutWith{into.ID, into.Received.Code}, nil
}

func (p Merged) Check(before *State, at time.Time, bad *invalid.Errors) {
	if rawOnHand(before, at, bad) {
		if why := unlike(before, p.With.state(before, Event{HappenedAt: at})); why != "" {
			bad.Add("with", "%s", why)
		}
	}
	if at.Before(p.With.ReceivedAt) {
		bad.Add("happened_at", "lies before the other lot was received")
	}
}

// state is the other lot as it lies here from then on.
func (p SplitFrom) state(here *State, e Event) *State {
	s := &State{ID: p.ParentID, Status: OnHand, Voids: map[uuid.UUID]*Void{}, Corrections: map[uuid.UUID][]Correction{}, catalogue: here.catalogue}
	p.Apply(s, e)
	s.moveTo(here.Place(), e.HappenedAt)
	return s
}

func (p Merged) Apply(s *State, e Event) {
	s.keepPieceKg()
	other := p.With.state(s, e)
	records := append([]*State{other}, other.Others...)
	other.Others = nil
	for _, record := range records {
		if !slices.ContainsFunc(append([]*State{s}, s.Others...), record.sameRecord) {
			s.Others = append(s.Others, record)
		}
	}
	s.Count, s.WeightKg, s.CostCents = s.Count+p.With.Received.Count, s.WeightKg+p.With.Received.WeightKg, s.CostCents+p.With.CostCents
}

// sameRecord reports whether the same happened to two lots, as to the parts of one: one record says it all.
func (s *State) sameRecord(other *State) bool {
	record := func(s *State) string {
		p := Inherit(s, nil, SplitLot{}, nil)
		p.ParentID, p.ParentCode, p.CostCents, p.PieceKg, p.Others = uuid.Nil, "", 0, 0, nil
		data, err := json.Marshal(p)
		if err != nil {
			return s.ID.String() // nothing is the same as what cannot be written
		}
		return string(data)
	}
	return record(s) == record(other)
}

func (p PutWith) Check(before *State, at time.Time, bad *invalid.Errors) { onHand(before, at, bad) }

func (p PutWith) Apply(s *State, e Event) {
	s.GoesOnAs = p.LotID
	s.end(WasMerged, e.HappenedAt)
}

// AllStays are where the fish of the lot lay, those of the lots that were put together with it too, each once.
func (s *State) AllStays() []Stay { return allOf(s, func(s *State) []Stay { return s.Stays }) }

// AllLoggers are the loggers that lay with them.
func (s *State) AllLoggers() []LoggerStay {
	return allOf(s, func(s *State) []LoggerStay { return s.Loggers })
}

// allOf gathers what belongs to a lot and to those that were put together with it, each once.
func allOf[T comparable](s *State, of func(*State) []T) []T {
	list := slices.Clip(of(s))
	for _, other := range s.Others {
		for _, x := range allOf(other, of) {
			if !slices.Contains(list, x) {
				list = append(list, x)
			}
		}
	}
	return list
}
