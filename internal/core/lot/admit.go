package lot

import (
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// Gate is a use or an exit of a lot that the assessment answers for.
type Gate string

// The gates.
const (
	GateRaw    Gate = "raw"
	GateCook   Gate = "cook"
	GateDryAge Gate = "dry_age"
	GateFreeze Gate = "freeze"
	GateStock  Gate = "stock"
)

// The gates through which fish of a lot leaves, by its end use.
const (
	ExitRaw     Gate = "exit_raw"
	ExitCooked  Gate = "exit_cooked"
	ExitStaff   Gate = "exit_staff"
	ExitTasting Gate = "exit_tasting"
	ExitSold    Gate = "exit_sold"
	ExitMoved   Gate = "exit_moved"
	ExitStock   Gate = "exit_stock_pot"
	ExitWaste   Gate = "exit_waste"
)

// Answer is what the record says to a gate. The zero Answer denies.
type Answer struct {
	OK           bool
	NeedsManager bool     // not OK, and a manager may open it with a reason
	Reasons      []string // why it is not OK, the gravest first
}

// why is the gravest reason against.
func (a Answer) why() string {
	if len(a.Reasons) == 0 {
		return "nothing on record allows it"
	}
	return a.Reasons[0]
}

// Hook is a hook of an ageing cabinet.
type Hook struct {
	PlaceID int64
	N       int // from the left, 1 and on
}

// Facts are all that may be known, beyond the lot's own events, where an event is
// admitted. What is missing denies.
type Facts struct {
	Now       time.Time
	Manager   bool // a manager acts, or approved it
	Profile   safety.Profile
	Catalogue species.Catalogue
	Places    map[int64]Place
	Answers   map[Gate]Answer // for this payload at its time
	Hooks     map[Hook]string // the code of the other lot that hangs there
	Ageing    *AgeingFacts    // of a fish that hangs
	WageCents int64           // what an hour of work costs
	// until when it is stiff at least; nil where it is not, or nobody knows
	StiffUntil *time.Time
	FishC      *float64 // how warm it is; nil where nobody asked
	ParCook    bool     // the kitchen's procedure for par-cooking is signed
	// a correction of how the lot began follows that of the cut which it came of
	FollowsCut bool
}

// AgeingFacts are what the next weight of a fish that hangs is held against.
type AgeingFacts struct {
	ageing.Fit
	Scale ageing.Scale
}

// Admission is an event as it may be stored.
type Admission struct {
	Payload  Payload
	Approved bool // it stands by a manager's approval alone
}

// Admit decides whether an event may be the next one of a lot, whose state before it is
// nil where it does not exist yet. It is the only way in: pages, programs, imports and
// what-ifs ask here. e needs its ID and HappenedAt, which is held against f.Now with a
// minute's grace for clocks that differ. The reasons against it are an invalid.Errors
// with the JSON names of the payload's fields, besides id, happened_at, lot and gate.
func Admit(s *State, f Facts, e Event, p Payload) (Admission, error) {
	var bad invalid.Errors
	if e.ID == uuid.Nil {
		bad.Add("id", "is missing")
	}
	if e.HappenedAt.IsZero() {
		bad.Add("happened_at", "is missing")
	} else if e.HappenedAt.After(f.Now.Add(time.Minute)) {
		bad.Add("happened_at", "lies in the future")
	}
	if c, ok := p.(Corrected); ok {
		return s.admitCorrection(f, e, c, bad)
	}
	return admit(s, f, e, p, bad)
}

// admit goes on with what is wrong already.
func admit(s *State, f Facts, e Event, p Payload, bad invalid.Errors) (Admission, error) {
	if d, ok := p.(Derived); ok {
		p = d.Derive(s, f, e.HappenedAt)
	}
	p = rowOf(p).approve(p, f.Manager)
	p.Check(s, e.HappenedAt, &bad)
	if x, ok := p.(Placed); ok && x.In() != 0 {
		if _, ok := f.Places[x.In()]; !ok {
			bad.Add("place_id", "choose a place of this kitchen")
		}
	}
	if len(bad) == 0 || bad.OnlyManager() { // else its state is not the one that is judged
		if g, ok := p.(Gated); ok {
			if answer := f.Answers[g.Asks()]; !answer.OK {
				bad.Add("lot", "%s", answer.why())
			}
		}
		if j, ok := p.(Judged); ok {
			j.Judge(s, f, e.HappenedAt, &bad)
		}
	}
	approved := f.Manager && bad.OnlyManager()
	if approved {
		bad = nil
	}
	return Admission{p, approved}, bad.Err()
}

// Subject is what an event is judged by: itself and the state before it, but for a
// correction the event that it corrects, in its old place. Where a correction names
// none, Admit says so.
func (s *State) Subject(e Event, p Payload) (before *State, at Event, payload Payload) {
	c, ok := p.(Corrected)
	if !ok || s == nil {
		return s, e, p
	}
	before, old := s.before(c.EventID)
	payload, err := Decode(old.Kind, c.Data)
	if err != nil {
		return s, e, p
	}
	return before, old.Event, payload
}
