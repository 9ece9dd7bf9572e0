package lot

import (
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
)

// FailureOutcome says what is to become of a lot after its place failed.
type FailureOutcome string

// What may become of it, from best to worst.
const (
	OutcomeFine    FailureOutcome = "fine"
	OutcomeCook    FailureOutcome = "cook"    // today
	OutcomeStopped FailureOutcome = "stopped" // a safety rule holds it
)

// Name is that in words.
func (a FailureOutcome) Name() string {
	return map[FailureOutcome]string{OutcomeFine: "Still fine", OutcomeCook: "To cook today",
		OutcomeStopped: "Stopped"}[a]
}

// Reviewed records what was decided of a lot after its place had failed.
type Reviewed struct {
	AlarmID  uuid.UUID      `json:"alarm_id"`
	From     time.Time      `json:"from"`
	To       time.Time      `json:"to"`
	Outcome  FailureOutcome `json:"after"` // fine, cook or stopped
	LostDays float64        `json:"lost_ice_days"`
	WarmestC float64        `json:"warmest_celsius"`
	Note     string         `json:"note,omitempty"`
}

// ReviewMade is such an event that stands.
type ReviewMade struct {
	Reviewed
	At time.Time
}

func (p Reviewed) Check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	if p.AlarmID == uuid.Nil {
		bad.Add("alarm_id", "say which alarm")
	}
	if !slices.Contains([]FailureOutcome{OutcomeFine, OutcomeCook, OutcomeStopped}, p.Outcome) {
		bad.Add("after", "choose what becomes of it")
	}
	if !p.From.Before(p.To) || p.To.After(at.Add(time.Minute)) {
		bad.Add("to", "must lie after the beginning, and not in the future")
	}
	if !(math.Abs(p.LostDays) < 1000) || !(math.Abs(p.WarmestC) < 100) {
		bad.Add("lost_ice_days", "is no number that can be")
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

func (p Reviewed) Apply(s *State, e Event) {
	s.Reviews = append(s.Reviews, ReviewMade{p, e.HappenedAt})
}

func (p Reviewed) keeps(was Payload, bad *invalid.Errors) {
	keep("alarm_id", p.AlarmID, was.(Reviewed).AlarmID, bad)
}
