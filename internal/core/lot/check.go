package lot

import (
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
)

// oldestLabelDate bounds how long before its delivery chilled or frozen fish may have been caught (house).
const oldestLabelDate = 3 * 365 * 24 * time.Hour

func (p Received) check(before *State, at time.Time, bad *invalid.Errors) {
	if before != nil {
		bad.Add("lot", "was received already")
	}
	if _, ok := species.Get(p.SpeciesID); !ok {
		bad.Add("species", "is not in the catalogue")
	}
	if !slices.Contains(Forms, p.Form) {
		bad.Add("form", "choose a form")
	}
	if !slices.Contains(IceStates, p.Ice) {
		bad.Add("ice", "choose the state of the ice")
	}
	if p.Count < 1 || p.Count > 10000 {
		bad.Add("count", "must be between 1 and 10 000")
	}
	if !(p.WeightKg > 0 && p.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight_kg", "%v", unit.ErrMassRange)
	}
	if p.CoreC != nil && unit.CheckCelsius(*p.CoreC) != nil {
		bad.Add("core_celsius", "%v", unit.ErrTempRange)
	}
	if p.LabelDate.At != nil {
		switch {
		case !slices.Contains(freshness.DateMeanings, p.LabelDate.Means):
			bad.Add("claim.means", "say what the date means")
		case p.LabelDate.At.After(at):
			bad.Add("claim.at", "lies after the delivery")
		case p.LabelDate.At.Before(at.Add(-oldestLabelDate)):
			bad.Add("claim.at", "lies more than three years before the delivery")
		}
	}
	if p.Packing != nil {
		p.Packing.check(bad)
	}
	if invalid.TooLong(p.SupplierLot, 80) {
		bad.Add("supplier_lot", "is longer than 80 characters")
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a place")
	}
}

func (p Inspected) check(before *State, at time.Time, bad *invalid.Errors) {
	rawOnHand(before, at, bad)
	if p.Scheme == "" {
		bad.Add("scheme", "choose a scheme")
	}
	switch {
	case len(p.Fish) == 0 || slices.ContainsFunc(p.Fish, func(f freshness.Fish) bool { return len(f.Signs) == 0 }):
		bad.Add("fish", "choose at least one sign")
	case before != nil && len(p.Fish) > before.Received.Count:
		bad.Add("fish", "are more than the %d of the lot", before.Received.Count)
	}
	if !slices.Contains(freshness.Decisions, p.Decision) {
		bad.Add("decision", "choose a decision")
	}
	if p.Overrides() {
		reason(p.Reason, bad)
		if len(p.Proposed.HardStops) > 0 && p.Decision.Accepted() && !p.ByManager {
			bad.NeedsManager("decision", "a hard stop is overridden only by a manager")
		}
	}
}

func (p Moved) check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	if p.PlaceID == 0 {
		bad.Add("place_id", "choose a place")
	} else if stay, ok := before.StayAt(at); ok && stay.PlaceID == p.PlaceID {
		bad.Add("place_id", "the lot lies there already")
	}
}

func (p Temperature) check(before *State, at time.Time, bad *invalid.Errors) {
	err := unit.CheckCelsius(p.Celsius)
	if onHand(before, at, bad) && before.Cooked != nil {
		err = unit.CheckCookedCelsius(p.Celsius)
	}
	if err != nil {
		bad.Add("celsius", "%v", err)
	}
}

func (p Logger) check(before *State, at time.Time, bad *invalid.Errors) {
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

func (p Held) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold != "" {
		bad.Add("lot", "is on hold already: %s", before.Hold)
	}
	reason(p.Reason, bad)
}

func (p Released) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold == "" {
		bad.Add("lot", "is not on hold")
	} else if before != nil && before.needsManager && !p.ByManager {
		bad.NeedsManager("lot", "a hard stop holds it: only a manager releases it")
	}
	reason(p.Reason, bad)
}

func (p Refused) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	reason(p.Reason, bad)
}

func (p Left) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold != "" {
		bad.Add("lot", "is on hold: %s", before.Hold)
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

func (p Discarded) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	reason(p.Reason, bad)
}

func (p Voided) check(before *State, _ time.Time, bad *invalid.Errors) {
	if before == nil {
		bad.Add("lot", "was never received")
		return
	}
	switch kind, ok := before.kinds[p.EventID]; {
	case !ok:
		bad.Add("event_id", "is not an event of this lot")
	case before.Status == WasSplit:
		bad.Add("event_id", "belongs to a lot that was split: correct the lots that it was split into")
	case kind == KindSplitFrom:
		bad.Add("event_id", "is how the lot began: hold or discard the lot")
	case kind == KindVoided:
		bad.Add("event_id", "a cancelled entry cannot be brought back: write it again")
	case before.Voids[p.EventID] != nil:
		bad.Add("event_id", "is cancelled already")
	}
	reason(p.Reason, bad)
}

// onHand adds an error unless the lot is here at the time at.
func onHand(before *State, at time.Time, bad *invalid.Errors) bool {
	switch {
	case before == nil:
		bad.Add("lot", "was never received")
	case before.Status != OnHand:
		bad.Add("lot", "is no longer on hand: %s", before.Status.Name())
	case at.Before(before.ReceivedAt):
		bad.Add("happened_at", "lies before the lot was received")
	case at.Before(before.SplitAt):
		bad.Add("happened_at", "lies before the lot was split from another")
	default:
		return true
	}
	return false
}

// rawOnHand reports whether the lot is on hand and raw yet; bad gets what is not so.
func rawOnHand(before *State, at time.Time, bad *invalid.Errors) bool {
	if !onHand(before, at, bad) {
		return false
	}
	if before.Cooked != nil {
		bad.Add("lot", "was cooked: it is raw fish no more")
		return false
	}
	return true
}

func reason(text string, bad *invalid.Errors) {
	if strings.TrimSpace(text) == "" {
		bad.Add("reason", "give a reason")
	} else if invalid.TooLong(text, 500) {
		bad.Add("reason", "is longer than 500 characters")
	}
}

// Check returns, as invalid.Errors, the reasons against the event as the next
// one of the lot; nil where nothing does. The event's times are held against
// now, with a minute's grace for clocks that differ.
func Check(before *State, e Event, p Payload, now time.Time) error {
	var bad invalid.Errors
	if e.ID == uuid.Nil {
		bad.Add("id", "is missing")
	}
	if e.HappenedAt.IsZero() {
		bad.Add("happened_at", "is missing")
	} else if e.HappenedAt.After(now.Add(time.Minute)) {
		bad.Add("happened_at", "lies in the future")
	}
	p.check(before, e.HappenedAt, &bad)
	return bad.Err()
}

// CheckCatch returns what is wrong with a catch of our own as it comes on deck.
func CheckCatch(line Received, caught Caught, at, now time.Time) invalid.Errors {
	var bad invalid.Errors
	if at.After(now.Add(time.Minute)) {
		bad.Add("happened_at", "lies in the future")
	}
	line.check(nil, at, &bad)
	caught.check(&State{Received: line, ReceivedAt: at, Status: OnHand}, at, &bad)
	return bad
}
