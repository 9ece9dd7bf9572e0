package lot

import (
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// Status says whether the lot is here.
type Status string

// The states of a lot.
const (
	OnHand       Status = "on hand"
	WasRefused   Status = "refused"
	Finished     Status = "used up"
	WasDiscarded Status = "discarded"
	Cancelled    Status = "cancelled" // its receipt was voided
	WasSplit     Status = "parted"    // its fish went on as other lots
)

// Name is the status in words.
func (s Status) Name() string {
	switch s {
	case Finished:
		return "finished"
	case WasSplit:
		return "split"
	}
	return string(s)
}

// Stay is the time that a lot spends in one place. To is zero for the last one.
type Stay struct {
	PlaceID  int64
	From, To time.Time
}

// LoggerStay is the time that a logger lay with the lot.
type LoggerStay struct {
	ProbeID int64
	coldchain.Span
}

// Inspection is an inspection that stands.
type Inspection struct {
	Inspected
	EventID uuid.UUID
	At      time.Time
}

// Void says why an event is struck through.
type Void struct {
	EventID  uuid.UUID // the voiding event
	Reason   string
	At       time.Time
	PersonID int64
}

// State is what the events of a lot add up to.
type State struct {
	ID              uuid.UUID
	Seq             int
	Head            []byte // hash of the last event
	Received        Received
	ReceivedAt      time.Time
	SplitAt         time.Time // when it was split off another lot; zero for one that was received
	Parent          uuid.UUID // the lot that it was split off; zero for none
	ParentCode      string
	SplitInto       []SplitLot // what it was split into
	Status          Status
	EndedAt         time.Time // when it left; zero while on hand
	RefusedFor      string
	Hold            string // why it is on hold; "" where it is not
	Stays           []Stay
	CoreReadings    []coldchain.Reading // core temperatures, ascending
	Loggers         []LoggerStay
	Inspections     []Inspection
	Photos          []PhotoTaken
	Checks          []CheckMade // of cleaning and packing, the last one counts
	Complaints      []ComplaintMade
	Harvest         Harvest // the way to the ice
	Tests           []TestMade
	Packs           []PackStay
	Reviews         []ReviewMade        // after failures of its places
	FrozenStays     []FrozenStay        // times in which it lay frozen
	Hangings        []Hanging           // times in which it hung to age
	Cooked          *Step[Cooked]       // nil while it is raw
	Cooled          []coldchain.Reading // its core since then
	GapExplanations []GapExplanation    // of time that nobody recorded, in the order of Until
	Voids           map[uuid.UUID]*Void // by the event that is struck through
	inherited       []InheritedEvent    // what its parts would go on with
	kinds           map[uuid.UUID]Kind
	// what happens now happened to its parent: where it lay, its temperatures and its weight are there already
	inheriting     bool
	fromInspection bool // the hold comes from an inspection, so that a better one ends it
	needsManager   bool // the hold comes from a hard stop, so that only a manager ends it
}

// Species returns the catalogue's entry for the lot.
func (s *State) Species() species.Species {
	sp, _ := species.Get(s.Received.SpeciesID)
	return sp
}

// Inspection returns the last inspection that stands.
func (s *State) Inspection() (Inspection, bool) {
	if len(s.Inspections) == 0 {
		return Inspection{}, false
	}
	return s.Inspections[len(s.Inspections)-1], true
}

// StayAt returns the stay at a time.
func (s *State) StayAt(t time.Time) (Stay, bool) {
	for _, stay := range s.Stays {
		if !t.Before(stay.From) && (stay.To.IsZero() || t.Before(stay.To)) {
			return stay, true
		}
	}
	return Stay{}, false
}

// Place is the place where the lot lies or lay last, 0 for none.
func (s *State) Place() int64 {
	if len(s.Stays) == 0 {
		return 0
	}
	return s.Stays[len(s.Stays)-1].PlaceID
}

// Fold adds up the events of one lot, given in the order of Seq. Voided events
// count for nothing; the others take effect in the order in which they
// happened. It returns an error for a payload that cannot be read or a lot that
// does not begin with its receipt.
func Fold(events []Event) (*State, error) {
	if len(events) == 0 || events[0].Kind != KindReceived && events[0].Kind != KindSplitFrom {
		return nil, fmt.Errorf("a lot must begin with its receipt, or as a part of another")
	}
	last := events[len(events)-1]
	s := &State{ID: last.LotID, Seq: last.Seq, Head: last.Hash, Status: OnHand, Voids: map[uuid.UUID]*Void{},
		kinds: map[uuid.UUID]Kind{}}
	payloads := map[uuid.UUID]Payload{}
	for _, e := range events {
		p, err := Decode(e.Kind, e.Data)
		if err != nil {
			return nil, fmt.Errorf("event %d of lot %s: %w", e.Seq, e.LotID, err)
		}
		payloads[e.ID], s.kinds[e.ID] = p, e.Kind
		if v, ok := p.(Voided); ok {
			s.Voids[v.EventID] = &Void{EventID: e.ID, Reason: v.Reason, At: e.HappenedAt, PersonID: e.PersonID}
		}
	}
	ordered := slices.Clone(events)
	slices.SortStableFunc(ordered, func(a, b Event) int { return a.HappenedAt.Compare(b.HappenedAt) })
	for _, e := range ordered {
		if s.Voids[e.ID] == nil {
			s.apply(e, payloads[e.ID])
		}
	}
	if v := s.Voids[events[0].ID]; v != nil {
		s.Received, s.ReceivedAt = payloads[events[0].ID].(Received), events[0].HappenedAt
		s.end(Cancelled, v.At)
	}
	return s, nil
}

func (s *State) apply(e Event, payload Payload) {
	if isInherited(payload) || payload.Kind() == KindTemperature && s.Cooked != nil {
		s.inherited = append(s.inherited, InheritedEvent{payload.Kind(), e.HappenedAt, e.Data})
	}
	switch p := payload.(type) {
	case Received:
		s.Received, s.ReceivedAt = p, e.HappenedAt
		s.cameFrozen()
		s.move(p.PlaceID, e.HappenedAt)
		if p.Packing != nil {
			s.pack(*p.Packing, e.HappenedAt)
		}
		if p.CoreC != nil {
			s.measured(e.HappenedAt, *p.CoreC)
		}
	case Inspected:
		s.inspected(Inspection{p, e.ID, e.HappenedAt})
	case Moved:
		s.move(p.PlaceID, e.HappenedAt)
	case Temperature:
		if x := (coldchain.Reading{At: e.HappenedAt, Celsius: p.Celsius}); s.Cooked != nil {
			s.Cooled = append(s.Cooled, x)
		} else {
			s.CoreReadings = append(s.CoreReadings, x)
		}
	case Hung:
		s.hung(p, e)
	case Weighed:
		s.weighed(p, e)
	case DailyCheck:
		s.dailyChecked(p, e)
	case TakenDown:
		s.takenDown(p, e)
	case Cooked:
		s.Cooked = &Step[Cooked]{p, e.HappenedAt, e.ID}
	case Logger:
		s.Loggers = append(s.Loggers, LoggerStay{p.ProbeID, coldchain.Span{From: p.From, To: p.To}})
	case Held:
		s.Hold, s.fromInspection = p.Reason, false
	case Released:
		s.Hold, s.fromInspection, s.needsManager = "", false, false
	case SplitFrom:
		s.beginFromSplit(e, p)
	case Photographed:
		s.Photos = append(s.Photos, PhotoTaken{p, e.ID, e.HappenedAt})
	case Checked:
		s.Checks = append(s.Checks, CheckMade{p, e.ID, e.HappenedAt})
	case Complaint:
		s.Complaints = append(s.Complaints, ComplaintMade{p, e.ID, e.HappenedAt})
	case Caught:
		s.Harvest.Caught = &Step[Caught]{p, e.HappenedAt, e.ID}
	case Killed:
		s.Harvest.Killed = &Step[Killed]{p, e.HappenedAt, e.ID}
	case Bled:
		s.Harvest.Bled = &Step[Bled]{p, e.HappenedAt, e.ID}
	case Gutted:
		s.Harvest.Gutted = &Step[Gutted]{p, e.HappenedAt, e.ID}
	case Washed:
		s.Harvest.Washed = &Step[Washed]{p, e.HappenedAt, e.ID}
	case Iced:
		if s.Harvest.Iced == nil { // later ones are other ice
			s.Harvest.Iced = &Step[Iced]{p, e.HappenedAt, e.ID}
		}
		s.moveTo(p.PlaceID, e.HappenedAt)
	case Packed:
		s.pack(p.Packing, e.HappenedAt)
	case Reviewed:
		s.Reviews = append(s.Reviews, ReviewMade{p, e.HappenedAt})
	case Froze:
		s.froze(p, e)
	case Pulled:
		s.pulled(p, e)
	case Thawed:
		s.thawed(p, e)
	case Returned:
		s.returned(p, e)
	case Tested:
		s.Tests = append(s.Tests, TestMade{p, e.HappenedAt})
	case GapExplained:
		s.GapExplanations = append(s.GapExplanations, GapExplanation{p, e.HappenedAt})
		slices.SortStableFunc(s.GapExplanations, func(a, b GapExplanation) int { return a.Until.Compare(b.Until) })
	case Split:
		s.SplitInto = p.Parts
		s.end(WasSplit, e.HappenedAt)
	case Refused:
		s.RefusedFor = p.Reason
		s.end(WasRefused, e.HappenedAt)
	case Left:
		s.end(Finished, e.HappenedAt)
	case Discarded:
		s.end(WasDiscarded, e.HappenedAt)
	}
}

func (s *State) inspected(i Inspection) {
	s.Inspections = append(s.Inspections, i)
	switch {
	case i.Decision == freshness.Hold:
		s.Hold, s.fromInspection, s.needsManager = firstReason(i.Inspected), true, len(i.Proposed.HardStops) > 0
	case i.Decision == freshness.Refuse:
		s.RefusedFor = firstReason(i.Inspected)
		s.end(WasRefused, i.At)
	case s.fromInspection:
		s.Hold, s.fromInspection, s.needsManager = "", false, false
	}
}

func firstReason(p Inspected) string {
	if p.Reason != "" {
		return p.Reason
	}
	if len(p.Proposed.Reasons) > 0 {
		return p.Proposed.Reasons[0]
	}
	return p.Proposed.Rule
}

// measured notes a core temperature.
func (s *State) measured(at time.Time, celsius float64) {
	s.CoreReadings = append(s.CoreReadings, coldchain.Reading{At: at, Celsius: celsius})
}

func (s *State) move(place int64, at time.Time) {
	if n := len(s.Stays); n > 0 {
		s.Stays[n-1].To = at
	}
	s.Stays = append(s.Stays, Stay{PlaceID: place, From: at})
}

// moveTo moves the lot as a part of something else that happened to it.
func (s *State) moveTo(place int64, at time.Time) {
	if place != 0 && place != s.Place() && !s.inheriting {
		s.move(place, at)
	}
}

func (s *State) end(status Status, at time.Time) {
	s.Status, s.EndedAt = status, at
}
