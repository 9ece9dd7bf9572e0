package lot

import (
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
)

// Parted ends a lot: its fish go on as new lots.
type Parted struct {
	Parts []Part `json:"parts"`
}

// Part is one of them.
type Part struct {
	LotID    uuid.UUID `json:"lot_id"`
	Code     string    `json:"code"`
	Count    int       `json:"count"`
	WeightKg float64   `json:"weight_kg"`
	Fish     []int     `json:"fish,omitempty"`    // which of the last inspection's fish are in it, from 0
	Refused  string    `json:"refused,omitempty"` // why it is sent back; "" where it stays
}

// PartOf begins a lot that was parted off another. It carries what happened
// before: a child has its parent's clocks.
type PartOf struct {
	ParentID    uuid.UUID     `json:"parent_id"`
	ParentCode  string        `json:"parent_code"`
	ParentHash  string        `json:"parent_hash"` // of the parent's last event: the chain goes on from there
	Received    Received      `json:"received"`    // with this part's code, count and weight
	ReceivedAt  time.Time     `json:"received_at"`
	Stays       []carriedStay `json:"stays"`
	Spots       []carriedSpot `json:"temperatures,omitempty"`
	Loggers     []Logger      `json:"loggers,omitempty"`
	Hold        string        `json:"hold,omitempty"`
	HeldByEyes  bool          `json:"held_by_eyes,omitempty"`
	HeldHard    bool          `json:"held_hard,omitempty"`
	Inspected   *Inspected    `json:"inspected,omitempty"` // the last inspection that stood
	InspectedAt time.Time     `json:"inspected_at,omitzero"`
	Before      []Carried     `json:"before,omitempty"` // the harvest record, tests and accounts
}

// Carried is an event of the parent that a part goes on with as its own.
type Carried struct {
	Kind Kind            `json:"kind"`
	At   time.Time       `json:"at"`
	Data json.RawMessage `json:"data"`
}

type carriedStay struct {
	PlaceID int64     `json:"place_id"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to,omitzero"`
}

type carriedSpot struct {
	At      time.Time `json:"at"`
	Celsius float64   `json:"celsius"`
}

func (Parted) Kind() Kind { return KindParted }
func (PartOf) Kind() Kind { return KindPartOf }

// weightSlack is how far the weights of the parts may differ from that of the
// whole: scales, and drip (house).
const weightSlack = 0.02

func (p Parted) check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	if len(p.Parts) < 2 {
		bad.Add("parts", "give at least two parts")
		return
	}
	count, weight := 0, 0.0
	for i, part := range p.Parts {
		field := fmt.Sprintf("parts[%d].", i)
		if part.Count < 1 {
			bad.Add(field+"count", "must be at least 1")
		}
		if !(part.WeightKg > 0) {
			bad.Add(field+"weight", "must be above 0")
		}
		if len(part.Refused) > 500 {
			bad.Add(field+"refused", "is longer than 500 characters")
		}
		if len(part.Fish) > part.Count {
			bad.Add(field+"count", "%d fish of it were inspected", len(part.Fish))
		}
		count += part.Count
		weight += part.WeightKg
	}
	whole := before.Received
	if count != whole.Count {
		bad.Add("parts", "the parts have %d fish, the lot has %d", count, whole.Count)
	}
	if math.Abs(weight-whole.WeightKg) > weightSlack*whole.WeightKg {
		bad.Add("parts", "the parts weigh %.2f kg, the lot %.2f kg: more than %.0f %% apart", weight, whole.WeightKg, 100*weightSlack)
	}
}

func (p PartOf) check(before *State, at time.Time, bad *invalid.Errors) {
	if before != nil {
		bad.Add("lot", "exists already")
	}
	if at.Before(p.ReceivedAt) {
		bad.Add("happened_at", "lies before the lot was received")
	}
	p.Received.check(nil, p.ReceivedAt, bad)
	for _, c := range p.Before {
		if payload, err := Decode(c.Kind, c.Data); err != nil || !carries(payload) {
			bad.Add("before", "%s cannot be carried over", c.Kind)
		}
	}
}

// carries reports whether a part goes on with such an event of its parent.
func carries(p Payload) bool {
	switch p.(type) {
	case Caught, Killed, Bled, Gutted, Washed, Iced, Tested, Accounted, Packed, Reviewed, Froze, Pulled, Thawed, Returned, Hung, Weighed, Looked, TakenDown, Cooked:
		return true
	}
	return false
}

// Carry makes the first event of a part of a lot, whose last event has the hash
// head. inspected, where given, takes
// the place of the lot's own last inspection: what was seen on the fish of this
// part.
func Carry(s *State, head []byte, part Part, inspected *Inspected) PartOf {
	p := PartOf{ParentID: s.ID, ParentCode: s.Received.Code, ParentHash: hex.EncodeToString(head), Received: s.Received, ReceivedAt: s.ReceivedAt,
		Hold: s.Hold, HeldByEyes: s.heldByEyes, HeldHard: s.heldHard}
	p.Received.Code, p.Received.Count, p.Received.WeightKg = part.Code, part.Count, part.WeightKg
	for _, stay := range s.Stays {
		p.Stays = append(p.Stays, carriedStay(stay))
	}
	for _, spot := range s.Spots {
		p.Spots = append(p.Spots, carriedSpot(spot))
	}
	for _, l := range s.Loggers {
		p.Loggers = append(p.Loggers, Logger{l.ProbeID, l.From, l.To})
	}
	p.Before = s.carried
	if last, ok := s.Inspection(); ok {
		p.Inspected, p.InspectedAt = &last.Inspected, last.At
	}
	if inspected != nil {
		p.Inspected = inspected
		if p.HeldByEyes { // what held the whole may not be in this part
			p.Hold, p.HeldByEyes, p.HeldHard = "", false, false
		}
	}
	return p
}

// begin sets the state to what a part carries.
func (s *State) begin(e Event, p PartOf) {
	s.Parent, s.ParentCode = p.ParentID, p.ParentCode
	s.Received, s.ReceivedAt, s.Begun = p.Received, p.ReceivedAt, e.HappenedAt
	for _, stay := range p.Stays {
		s.Stays = append(s.Stays, Stay(stay))
	}
	for _, spot := range p.Spots {
		s.Spots = append(s.Spots, coldchain.Reading(spot))
	}
	for _, l := range p.Loggers {
		s.Loggers = append(s.Loggers, LoggerStay{l.ProbeID, coldchain.Span{From: l.From, To: l.To}})
	}
	s.cameFrozen()
	if p.Received.Packing != nil {
		s.pack(*p.Received.Packing, p.ReceivedAt)
	}
	s.carrying = true
	for _, c := range p.Before {
		if payload, err := Decode(c.Kind, c.Data); err == nil { // checked when it was written
			s.apply(Event{HappenedAt: c.At, Data: c.Data}, payload)
		}
	}
	s.carrying = false
	s.Hold, s.heldByEyes, s.heldHard = p.Hold, p.HeldByEyes, p.HeldHard
	if p.Inspected != nil {
		s.inspected(Inspection{*p.Inspected, e.ID, p.InspectedAt})
	}
}

// Shares proposes how to part a lot: the inspected fish that may stay and those
// that may not, by their own verdicts, each with its share of the weight; what
// was not inspected stays with the first. It returns false unless the last
// inspection saw both kinds.
func Shares(s *State) ([]Part, bool) {
	last, ok := s.Inspection()
	if !ok || len(last.Proposed.Each) != len(last.Fish) {
		return nil, false
	}
	var keep, refuse Part
	for i, d := range last.Proposed.Each {
		if d.Accepted() {
			keep.Fish = append(keep.Fish, i)
		} else {
			refuse.Fish = append(refuse.Fish, i)
		}
	}
	if len(keep.Fish) == 0 || len(refuse.Fish) == 0 {
		return nil, false
	}
	each := s.Received.WeightKg / float64(s.Received.Count)
	refuse.Count = len(refuse.Fish)
	keep.Count = s.Received.Count - refuse.Count
	keep.WeightKg, refuse.WeightKg = each*float64(keep.Count), each*float64(refuse.Count)
	refuse.Refused = firstReason(last.Inspected)
	if len(last.Proposed.Reasons) > 0 {
		refuse.Refused = last.Proposed.Reasons[0]
	}
	return []Part{keep, refuse}, true
}

// Of returns what an inspection saw on some of its fish.
func (p Inspected) Of(fish []int) Inspected {
	all := p.Fish
	p.Fish = nil
	for _, i := range fish {
		if i >= 0 && i < len(all) {
			p.Fish = append(p.Fish, all[i])
		}
	}
	return p
}
