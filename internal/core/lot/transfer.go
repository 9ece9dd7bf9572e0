package lot

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
)

// Way is how fish travels between two kitchens.
type Way string

// The ways. What is not in ice counts as warm as a room, unless a logger that travels with it says otherwise.
const (
	WayIced   Way = "ice"    // ice all around when it was sent; it is looked at again when it comes
	WayLogger Way = "logger" // a logger lies with it
	WayBare   Way = "bare"   // nobody measures
)

// Ways lists them.
var Ways = []Way{WayIced, WayLogger, WayBare}

// Name is the way in words.
func (w Way) Name() string {
	return map[Way]string{WayIced: "in ice all around", WayLogger: "with a logger", WayBare: "in a box, nothing measured"}[w]
}

// Sent says that some of the lot, or all that was left of it, went to another kitchen, where it is a lot of its own.
type Sent struct {
	TransferID uuid.UUID `json:"transfer_id"`
	To         string    `json:"to"` // the kitchen
	Way        Way       `json:"way"`
	All        bool      `json:"all,omitempty"`
	WeightKg   float64   `json:"weight_kg,omitempty"` // 0: the pieces' share of the weight
	Count      int       `json:"count,omitempty"`     // 0: as the weight says
}

// taken is what leaves.
func (p Sent) taken() Taken {
	return Taken{EndUse: UsedMoved, All: p.All, WeightKg: p.WeightKg, Count: p.Count, Note: p.To}
}

func (p Sent) Check(before *State, at time.Time, bad *invalid.Errors) {
	p.taken().Check(before, at, bad)
	if p.To == "" {
		bad.Add("to", "choose a kitchen")
	}
	if p.Way.Name() == "" {
		bad.Add("way", "say how it travels")
	}
	if p.TransferID == uuid.Nil {
		bad.Add("transfer_id", "is missing")
	}
	if before != nil && len(before.Hangings) > 0 {
		bad.Add("lot", "was aged here: the record of its cabinet does not travel")
	}
}

// Asks implements Gated.
func (p Sent) Asks() Gate { return ExitMoved }

func (p Sent) Apply(s *State, e Event) {
	p.taken().Apply(s, e)
}

// Part is what leaves of a lot, as the lot that it becomes.
func (p Sent) Part(before *State, id uuid.UUID, code string) SplitLot {
	kg, count, _ := p.taken().leaves(before)
	return SplitLot{LotID: id, Code: code, Count: max(1, count), WeightKg: kg}
}

// Arrived begins a lot that another kitchen sent. It carries what happened there, as the parts of a lot do: its places and probes
// are those here that stand for them. Until its core is measured here it is fit for nothing.
type Arrived struct {
	TransferID uuid.UUID `json:"transfer_id"`
	From       string    `json:"from"` // the kitchen
	SentAt     time.Time `json:"sent_at"`
	Way        Way       `json:"way"`
	PlaceID    int64     `json:"place_id"` // that stands for the way
	Lot        SplitFrom `json:"lot"`      // as it was when it was sent
}

func (p Arrived) Check(before *State, at time.Time, bad *invalid.Errors) {
	p.Lot.Check(before, at, bad)
	if p.From == "" || p.Way.Name() == "" || p.PlaceID == 0 || p.TransferID == uuid.Nil {
		bad.Add("from", "the kitchen, the way and its place are missing")
	}
	if at.Before(p.SentAt) {
		bad.Add("happened_at", "lies before it was sent")
	}
}

func (p Arrived) Apply(s *State, e Event) {
	p.Lot.Apply(s, e)
	s.Parent, s.CameFrom, s.SentAt = uuid.Nil, p.From, p.SentAt
	records := append([]*State{s}, s.Others...)
	for _, record := range records {
		record.move(p.PlaceID, p.SentAt)
	}
}

// MeasuredHere reports whether the core of fish that another kitchen sent was measured since; true for other fish.
func (s *State) MeasuredHere() bool {
	if s.CameFrom == "" {
		return true
	}
	n := len(s.CoreReadings)
	return n > 0 && s.CoreReadings[n-1].At.After(s.SentAt)
}

// Elsewhere is the first event with the places and probes that stand for its own in another kitchen.
func (p SplitFrom) Elsewhere(place, probe func(int64) int64) (SplitFrom, error) {
	p.Received.PlaceID = place(p.Received.PlaceID)
	stays := p.Stays
	p.Stays = nil
	for _, stay := range stays {
		stay.PlaceID = place(stay.PlaceID)
		p.Stays = append(p.Stays, stay)
	}
	loggers := p.Loggers
	p.Loggers = nil
	for _, l := range loggers {
		l.ProbeID = probe(l.ProbeID)
		p.Loggers = append(p.Loggers, l)
	}
	inherited := p.Inherited
	p.Inherited = nil
	for _, e := range inherited {
		data, err := placedElsewhere(e, place)
		if err != nil {
			return p, err
		}
		e.Data = data
		p.Inherited = append(p.Inherited, e)
	}
	others := p.Others
	p.Others = nil
	for _, other := range others {
		moved, err := other.Elsewhere(place, probe)
		if err != nil {
			return p, err
		}
		p.Others = append(p.Others, moved)
	}
	return p, nil
}

// placedElsewhere is the payload of an event that is carried along, in the place that stands for its own.
func placedElsewhere(e InheritedEvent, place func(int64) int64) (json.RawMessage, error) {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(e.Data, &fields); err != nil {
		return nil, fmt.Errorf("payload of %s: %w", e.Kind, err)
	}
	var id int64
	if raw, ok := fields["place_id"]; !ok || json.Unmarshal(raw, &id) != nil || id == 0 {
		return e.Data, nil
	}
	fields["place_id"] = json.RawMessage(fmt.Sprint(place(id)))
	data, err := json.Marshal(fields)
	if err != nil {
		return nil, err
	}
	p, err := Decode(e.Kind, data)
	if err != nil {
		return nil, err
	}
	return json.Marshal(p)
}

// Whereabouts are the places and the probes that the record of a lot rests on, and when.
func (s *State) Whereabouts() (places, probes map[int64]coldchain.Span) {
	places, probes = map[int64]coldchain.Span{}, map[int64]coldchain.Span{}
	widen := func(in map[int64]coldchain.Span, id int64, span coldchain.Span) {
		if span.To.IsZero() {
			span.To = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
		}
		have, ok := in[id]
		if !ok {
			have = span
		}
		if span.From.Before(have.From) {
			have.From = span.From
		}
		if span.To.After(have.To) {
			have.To = span.To
		}
		in[id] = have
	}
	for _, stay := range s.AllStays() {
		widen(places, stay.PlaceID, coldchain.Span{From: stay.From, To: stay.To})
	}
	for _, l := range s.AllLoggers() {
		widen(probes, l.ProbeID, l.Span)
	}
	for _, record := range append([]*State{s}, s.Others...) {
		widen(places, record.Received.PlaceID, coldchain.Span{From: record.ReceivedAt, To: record.ReceivedAt.Add(time.Minute)})
	}
	return places, probes
}
