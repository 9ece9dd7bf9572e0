package lot

import (
	"time"

	"leancatch/internal/core/invalid"
)

// Payload is what an event of one kind says.
type Payload interface {
	// Check adds what is wrong with the payload as an event at a time, by itself and by
	// the lot's state before it, which is nil for a lot that does not exist yet. What
	// needs a manager's approval is added with invalid.Errors.NeedsManager, whoever acts.
	Check(before *State, at time.Time, bad *invalid.Errors)
	// Apply changes the state by the event, which was admitted.
	Apply(s *State, e Event)
}

// Placed is a payload that names a place, which must be one of the kitchen.
type Placed interface {
	In() int64 // the id of the place; 0 for none
}

// Gated is a payload that asks for a use or an exit of the lot.
type Gated interface {
	Asks() Gate
}

// Judged is a payload that is held against more than the lot's own state.
type Judged interface {
	Judge(before *State, f Facts, at time.Time, bad *invalid.Errors)
}

// Derived is a payload of which something follows from the rest and from the lot; what a request
// says of that is not trusted.
type Derived interface {
	Derive(before *State, f Facts, at time.Time) Payload
}

// Approval is embedded in payloads that may need a manager's approval.
type Approval struct {
	ByManager bool `json:"by_manager,omitempty"` // a manager did or approved it
}

func (a *Approval) setByManager(yes bool) { a.ByManager = yes }
