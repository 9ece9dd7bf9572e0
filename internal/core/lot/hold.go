package lot

import (
	"slices"
	"time"

	"leancatch/internal/core/invalid"
)

// Held puts the lot on hold until it is released, refused or discarded.
type Held struct {
	Reason string `json:"reason"`
}

// Released ends a hold.
type Released struct {
	Reason   string `json:"reason"`
	Approval        // needed where a hard stop held the lot
}

// Refused sends the lot back.
type Refused struct {
	Reason string `json:"reason"`
}

// Left says that nothing of the lot is left, and what became of it.
type Left struct {
	EndUse EndUse `json:"end_use,omitempty"`
	Note   string `json:"note,omitempty"`
}

// Discarded ends the lot.
type Discarded struct {
	Reason string `json:"reason"`
}

func (p Held) Check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold != "" {
		bad.Add("lot", "is on hold already: %s", before.Hold)
	}
	reason(p.Reason, bad)
}

func (p Held) Apply(s *State, _ Event) { s.Hold, s.fromInspection = p.Reason, false }

func (p Released) Check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold == "" {
		bad.Add("lot", "is not on hold")
	} else if before != nil && before.needsManager {
		bad.NeedsManager("lot", "a hard stop holds it: only a manager releases it")
	}
	reason(p.Reason, bad)
}

func (Released) Apply(s *State, _ Event) {
	s.Hold, s.fromInspection, s.needsManager = "", false, false
}

func (p Refused) Check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	reason(p.Reason, bad)
}

func (p Refused) Apply(s *State, e Event) {
	s.RefusedFor = p.Reason
	s.end(WasRefused, e.HappenedAt)
}

func (p Left) Check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold != "" {
		bad.Add("lot", "is on hold: %s", before.Hold)
	}
	if !slices.Contains(EndUses, p.EndUse) || p.EndUse == UsedWaste {
		bad.Add("end_use", "say what it was used for")
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// Judge implements Judged: what was par-cooked is taken, with its core.
func (p Left) Judge(before *State, f Facts, _ time.Time, bad *invalid.Errors) {
	f.servedThrough(before, p.EndUse, nil, bad)
}

// Asks implements Gated.
func (p Left) Asks() Gate { return p.EndUse.exit() }

func (p Left) Apply(s *State, e Event) {
	s.exitAll(e, Exit{EndUse: p.EndUse, Note: p.Note})
	s.end(Finished, e.HappenedAt)
}

func (p Discarded) Check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	reason(p.Reason, bad)
}

func (p Discarded) Apply(s *State, e Event) {
	s.exitAll(e, Exit{EndUse: UsedWaste, Note: p.Reason})
	s.end(WasDiscarded, e.HappenedAt)
}
