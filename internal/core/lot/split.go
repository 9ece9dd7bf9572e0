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

// Split ends a lot: its fish go on as new lots.
type Split struct {
	Parts []SplitLot `json:"parts"`
}

// SplitLot is one of them.
type SplitLot struct {
	LotID    uuid.UUID `json:"lot_id"`
	Code     string    `json:"code"`
	Count    int       `json:"count"`
	WeightKg float64   `json:"weight_kg"`
	Fish     []int     `json:"fish,omitempty"`    // which of the last inspection's fish are in it, from 0
	Refused  string    `json:"refused,omitempty"` // why it is sent back; "" where it stays
}

// SplitFrom begins a lot that was split off another. It carries what happened
// before: a child has its parent's clocks.
type SplitFrom struct {
	ParentID       uuid.UUID        `json:"parent_id"`
	ParentCode     string           `json:"parent_code"`
	ParentHash     string           `json:"parent_hash"` // of the parent's last event: the chain goes on from there
	Received       Received         `json:"received"`    // with this part's code, count and weight
	ReceivedAt     time.Time        `json:"received_at"`
	CostCents      float64          `json:"cost_cents,omitempty"` // its share of what the parent cost
	PieceKg        float64          `json:"piece_kg,omitempty"`   // what a piece weighed before some of the parent left
	CutFrom        string           `json:"cut_from,omitempty"`   // the form of the fish that it was cut of
	CutAt          time.Time        `json:"cut_at,omitzero"`      // when a knife first opened its flesh here
	Boneless       bool             `json:"boneless,omitempty"`
	Estimated      bool             `json:"estimated,omitempty"`
	Piece          *inheritedPiece  `json:"piece,omitempty"`
	PiecesBefore   []inheritedPiece `json:"pieces_before,omitempty"`
	Others         []SplitFrom      `json:"others,omitempty"` // that had been put together with it
	Stays          []inheritedStay  `json:"stays"`
	CoreReadings   []inheritedCore  `json:"temperatures,omitempty"`
	CancelledCores []time.Time      `json:"cancelled_cores,omitempty"`
	Loggers        []Logger         `json:"loggers,omitempty"`
	Hold           string           `json:"hold,omitempty"`
	FromInspection bool             `json:"held_by_eyes,omitempty"`
	NeedsManager   bool             `json:"held_hard,omitempty"`
	Inspected      *Inspected       `json:"inspected,omitempty"` // the last inspection that stood
	InspectedAt    time.Time        `json:"inspected_at,omitzero"`
	Inherited      []InheritedEvent `json:"before,omitempty"` // the harvest record, tests and accounts
}

// InheritedEvent is an event of the parent that a part goes on with as its own.
type InheritedEvent struct {
	Kind Kind            `json:"kind"`
	At   time.Time       `json:"at"`
	Data json.RawMessage `json:"data"`
}

type inheritedStay struct {
	PlaceID int64     `json:"place_id"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to,omitzero"`
}

type inheritedCore struct {
	At      time.Time `json:"at"`
	Celsius float64   `json:"celsius"`
}

// WeightSlack is how far the weights of the parts may differ from that of the
// whole: scales, and drip (house).
const WeightSlack = 0.02

func (p Split) Check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	if len(p.Parts) < 2 {
		bad.Add("parts", "give at least two lots")
		return
	}
	count, weight := 0, 0.0
	for i, part := range p.Parts {
		field := fmt.Sprintf("parts[%d].", i)
		if part.Count < 1 {
			bad.Add(field+"count", "must be at least 1")
		}
		if !(part.WeightKg > 0) {
			bad.Add(field+"weight_kg", "must be above 0")
		}
		if invalid.TooLong(part.Refused, 500) {
			bad.Add(field+"refused", "is longer than 500 characters")
		}
		if len(part.Fish) > part.Count {
			bad.Add(field+"count", "%d fish of it were inspected", len(part.Fish))
		}
		count += part.Count
		weight += part.WeightKg
	}
	if count != before.Count {
		bad.Add("parts", "they have %d fish, the lot has %d", count, before.Count)
	}
	if math.Abs(weight-before.WeightKg) > WeightSlack*before.WeightKg {
		bad.Add("parts", "they weigh %.2f kg, the lot %.2f kg: more than %.0f %% apart", weight, before.WeightKg,
			100*WeightSlack)
	}
}

func (p Split) Apply(s *State, e Event) {
	s.SplitInto = p.Parts
	s.end(WasSplit, e.HappenedAt)
}

func (p SplitFrom) Check(before *State, at time.Time, bad *invalid.Errors) {
	if before != nil {
		bad.Add("lot", "exists already")
	}
	if at.Before(p.ReceivedAt) {
		bad.Add("happened_at", "lies before the lot was received")
	}
	p.Received.Check(nil, p.ReceivedAt, bad)
	for _, c := range p.Inherited {
		payload, err := Decode(c.Kind, c.Data)
		_, cooled := payload.(Temperature) // of cooked fish
		if err != nil || !cooled && rowOf(payload).traits&carried == 0 {
			bad.Add("before", "%s cannot be carried over", c.Kind)
		}
	}
}

// Judge implements Judged.
func (p SplitFrom) Judge(_ *State, f Facts, at time.Time, bad *invalid.Errors) {
	if p.CutFrom == "" { // else it is in no form in which its species comes
		p.Received.Judge(nil, f, at, bad)
	}
}

// Inherit makes the first event of a part of a lot, whose last event has the hash head.
// inspected, where given, takes the place of the lot's own last inspection: what was seen
// on the fish of this part.
func Inherit(s *State, head []byte, part SplitLot, inspected *Inspected) SplitFrom {
	p := SplitFrom{ParentID: s.ID, ParentCode: s.Received.Code, ParentHash: hex.EncodeToString(head),
		Received: s.Received, ReceivedAt: s.ReceivedAt, PieceKg: s.pieceKg,
		CutFrom: s.CutFrom, CutAt: s.CutAt, Boneless: s.Boneless, Estimated: s.Estimated, Piece: s.piece, PiecesBefore: s.piecesBefore,
		Hold: s.Hold, FromInspection: s.fromInspection, NeedsManager: s.needsManager}
	p.Received.Code, p.Received.Form = part.Code, s.Form
	p.Received.Count, p.Received.WeightKg = part.Count, part.WeightKg
	for _, stay := range s.Stays {
		p.Stays = append(p.Stays, inheritedStay(stay))
	}
	for _, spot := range s.CoreReadings {
		p.CoreReadings = append(p.CoreReadings, inheritedCore(spot))
	}
	p.CancelledCores = s.CancelledCores
	for _, l := range s.Loggers {
		p.Loggers = append(p.Loggers, Logger{l.ProbeID, l.From, l.To})
	}
	p.Inherited = s.inherited
	if last, ok := s.Inspection(); ok {
		p.Inspected, p.InspectedAt = &last.Inspected, last.At
	}
	for _, other := range s.Others {
		p.Others = append(p.Others, Inherit(other, nil, SplitLot{LotID: other.ID, Code: other.Received.Code, Count: other.Count, WeightKg: other.WeightKg}, nil))
	}
	if inspected != nil {
		p.Inspected = inspected
		if p.FromInspection { // what held the whole may not be in this part
			p.Hold, p.FromInspection, p.NeedsManager = "", false, false
		}
	}
	return p
}

// Apply sets the state to what a part carries.
func (p SplitFrom) Apply(s *State, e Event) {
	s.Parent, s.ParentCode, s.SplitAt = p.ParentID, p.ParentCode, e.HappenedAt
	s.begin(p.Received, p.ReceivedAt)
	s.pieceKg, s.piece, s.piecesBefore = p.PieceKg, p.Piece, p.PiecesBefore
	s.CutFrom, s.CutAt, s.Boneless, s.Estimated = p.CutFrom, p.CutAt, p.Boneless, p.Estimated
	if s.CostCents = p.CostCents; s.CostCents == 0 && p.CutFrom == "" { // earlier versions noted the price, and the whole fee with each part
		s.CostCents = float64(p.Received.PriceCents) * p.Received.WeightKg
	}
	for _, stay := range p.Stays {
		s.Stays = append(s.Stays, Stay(stay))
	}
	for _, spot := range p.CoreReadings {
		s.CoreReadings = append(s.CoreReadings, coldchain.Reading(spot))
	}
	s.CancelledCores = append(s.CancelledCores, p.CancelledCores...)
	for _, l := range p.Loggers {
		s.Loggers = append(s.Loggers, LoggerStay{l.ProbeID, coldchain.Span{From: l.From, To: l.To}})
	}
	s.cameFrozen()
	if p.Received.Packing != nil {
		s.pack(*p.Received.Packing, p.ReceivedAt)
	}
	s.inheriting = true
	for _, c := range p.Inherited {
		if payload, err := Decode(c.Kind, c.Data); err == nil { // checked when it was written
			s.take(entry{Event{Kind: c.Kind, HappenedAt: c.At, Data: c.Data}, payload})
		}
	}
	s.inheriting = false
	s.Hold, s.fromInspection, s.needsManager = p.Hold, p.FromInspection, p.NeedsManager
	if p.Inspected != nil {
		s.inspected(Inspection{*p.Inspected, e.ID, p.InspectedAt})
	}
	for _, other := range p.Others {
		s.Others = append(s.Others, other.state(s, e))
	}
}

// ProposeSplit proposes how to part a lot: the inspected fish that may stay and those
// that may not, by their own verdicts, each with its share of the weight; what
// was not inspected stays with the first. It returns false unless the last
// inspection saw both kinds.
func ProposeSplit(s *State) ([]SplitLot, bool) {
	last, ok := s.Inspection()
	if !ok || len(last.Proposed.Each) != len(last.Fish) {
		return nil, false
	}
	var keep, refuse SplitLot
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
	each := s.WeightKg / float64(s.Count)
	refuse.Count = len(refuse.Fish)
	keep.Count = s.Count - refuse.Count
	keep.WeightKg, refuse.WeightKg = each*float64(keep.Count), each*float64(refuse.Count)
	refuse.Refused = firstReason(last.Inspected)
	if len(last.Proposed.Reasons) > 0 {
		refuse.Refused = last.Proposed.Reasons[0]
	}
	return []SplitLot{keep, refuse}, true
}
