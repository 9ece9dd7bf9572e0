package lot

import (
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

// Moved puts the lot in a place. Between the two ends of a move it lies nowhere.
type Moved struct {
	PlaceID int64      `json:"place_id"`
	LeftAt  *time.Time `json:"left_at,omitempty"` // when it was taken from where it lay; nil where it was at once
}

// longestMove is the longest way between two places of a kitchen.
const longestMove = 24 * time.Hour

// Temperature is a core temperature of the lot, taken with a thermometer.
type Temperature struct {
	Celsius float64 `json:"celsius"`
}

// Logger says that a logger lay with the lot from From to To.
type Logger struct {
	ProbeID int64     `json:"probe_id"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to"`
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

func (p Moved) Check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a place")
	} else if stay, ok := before.StayAt(at); ok && stay.PlaceID == p.PlaceID {
		bad.Add("place_id", "the lot lies there already")
	}
	if p.LeftAt == nil {
		return
	}
	switch n := len(before.Stays); {
	case p.LeftAt.After(at):
		bad.Add("left_at", "lies after it came there")
	case at.Sub(*p.LeftAt) > longestMove:
		bad.Add("left_at", "lies more than %.0f hours before it came there", longestMove.Hours())
	case n > 0 && p.LeftAt.Before(before.Stays[n-1].From):
		bad.Add("left_at", "lies before it came to where it lay")
	}
}

// In implements Placed.
func (p Moved) In() int64 { return p.PlaceID }

// Judge implements Judged: what goes into a freezer is frozen, what comes out of one is
// pulled, and what lay in water has one exit.
func (p Moved) Judge(before *State, f Facts, _ time.Time, bad *invalid.Errors) {
	to := f.Places[p.PlaceID]
	why := ""
	switch thaw := before.Thaw(); {
	case before.Ageing() != nil:
		why = "is ageing: take it out, with its weights"
	case to.AgeingCabinet():
		why = "fish enters an ageing cabinet by Start ageing, with its weight"
	case before.Cooked != nil && !to.Freezer():
	case before.Frozen() && !to.Freezer():
		why = "is frozen: pull it to thaw, with a plan"
	case !before.Frozen() && to.Freezer():
		why = "is not frozen: freeze it, with its thickness and its way, so that its core is followed"
	case thaw != nil && thaw.Pull.Method == thawing.Water && to.Cold():
		why = "was thawed in water: it is cooked at once, never put back into the cold raw"
	}
	if why != "" {
		bad.Add("place_id", "%s", why)
	}
}

func (p Moved) Apply(s *State, e Event) {
	s.move(p.PlaceID, e.HappenedAt)
	if n := len(s.Stays); p.LeftAt != nil && n > 1 {
		s.Stays[n-2].To = *p.LeftAt
		if from := s.Stays[n-2].From; p.LeftAt.Before(from) { // that was written down later
			s.Stays[n-2].To = from
		}
	}
}

func (p Temperature) Check(before *State, at time.Time, bad *invalid.Errors) {
	err := unit.CheckCelsius(p.Celsius)
	if onHand(before, at, bad) && before.Cooked != nil {
		err = unit.CheckCookedCelsius(p.Celsius)
	}
	if err != nil {
		bad.Add("celsius", "%v", err)
	}
}

func (p Temperature) Apply(s *State, e Event) {
	if s.Cooked == nil {
		s.measured(e.HappenedAt, p.Celsius)
		return
	}
	s.carry(e)
	s.Cooled = append(s.Cooled, coldchain.Reading{At: e.HappenedAt, Celsius: p.Celsius})
}

func (p Logger) Check(before *State, at time.Time, bad *invalid.Errors) {
	if before == nil {
		bad.Add("lot", "was never received")
		return
	}
	if !p.From.Before(p.To) {
		bad.Add("to", "must lie after the start")
	}
	if p.ProbeID == 0 {
		bad.Add("probe_id", "choose a logger")
	}
}

func (p Logger) Apply(s *State, _ Event) {
	s.Loggers = append(s.Loggers, LoggerStay{p.ProbeID, coldchain.Span{From: p.From, To: p.To}})
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

// StayedIn is the time of a span in which the lot lay in a place.
func (s *State) StayedIn(placeID int64, span coldchain.Span) (coldchain.Span, bool) {
	for _, stay := range s.Stays {
		to := stay.To
		if to.IsZero() {
			if to = s.EndedAt; to.IsZero() {
				to = span.To
			}
		}
		if part := (coldchain.Span{From: stay.From, To: to}).Clip(span); stay.PlaceID == placeID && part.Len() > 0 {
			return part, true
		}
	}
	return coldchain.Span{}, false
}

// LayIn reports whether the lot lay in a place in any part of a span.
func (s *State) LayIn(placeID int64, span coldchain.Span) bool {
	_, ok := s.StayedIn(placeID, span)
	return ok
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
