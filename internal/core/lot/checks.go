package lot

import (
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
)

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

// received adds an error unless the lot exists and its receipt stands. What it
// allows may come after the lot has left.
func received(before *State, bad *invalid.Errors) bool {
	switch {
	case before == nil:
		bad.Add("lot", "was never received")
	case before.Status == Cancelled:
		bad.Add("lot", "is cancelled")
	default:
		return true
	}
	return false
}

// harvested checks what all steps have in common.
func harvested(before *State, at time.Time, bad *invalid.Errors) bool {
	switch {
	case before == nil:
		bad.Add("lot", "was never received")
	case before.Status != OnHand:
		bad.Add("lot", "is no longer on hand: %s", before.Status.Name())
	case at.Before(before.ReceivedAt.Add(-oldestLabelDate)):
		bad.Add("happened_at", "lies more than three years before the delivery")
	case !before.SplitAt.IsZero():
		bad.Add("lot", "was split from %s: its harvest record is that lot's", before.ParentCode)
	default:
		return true
	}
	return false
}

// afterDeath adds an error where a step lies before the death that was written down.
func afterDeath(before *State, at time.Time, bad *invalid.Errors) {
	if killed := before.Harvest.Killed; killed != nil && at.Before(killed.At.Add(-stepSlack)) {
		bad.Add("happened_at", "lies before the death, %s", ago(killed.At, at))
	}
}

// stepSlack is how far two steps may seem to be in the wrong order: a cut that bleeds the
// fish may be what kills it (house).
const stepSlack = 5 * time.Minute

func reason(text string, bad *invalid.Errors) {
	if strings.TrimSpace(text) == "" {
		bad.Add("reason", "give a reason")
	} else if invalid.TooLong(text, 500) {
		bad.Add("reason", "is longer than 500 characters")
	}
}

func oneOf(field, id string, list []Choice, bad *invalid.Errors) {
	if NameOf(list, id) == "" {
		bad.Add(field, "choose one")
	}
}

func known(list []ageing.Choice, id string) bool {
	return slices.ContainsFunc(list, func(c ageing.Choice) bool { return c.ID == id })
}

func checkKg(field string, kg float64, bad *invalid.Errors) {
	if !(kg > 0 && kg <= unit.MaxLotKilograms) {
		bad.Add(field, "%v", unit.ErrMassRange)
	}
}

func checkC(field string, celsius float64, bad *invalid.Errors) bool {
	if err := unit.CheckCelsius(celsius); err != nil {
		bad.Add(field, "%v", unit.ErrTempRange)
		return false
	}
	return true
}

// Bounds of the thickness of a fish or a cut of it, mm.
const leastMM, mostMM = 3.0, 500.0

func checkThickness(mm float64, bad *invalid.Errors) {
	if !(mm >= leastMM && mm <= mostMM) {
		bad.Add("thickness_mm", "must be between %.0f and %.0f mm", leastMM, mostMM)
	}
}

func checkBody(shape heat.Shape, mm float64, bad *invalid.Errors) {
	if !slices.Contains(heat.Shapes, shape) {
		bad.Add("shape", "choose a shape")
	}
	checkThickness(mm, bad)
}

func intoFreezer(f Facts, id int64, bad *invalid.Errors) {
	if place, ok := f.Places[id]; ok && !place.Freezer() {
		bad.Add("place_id", "choose a freezer of this kitchen")
	}
}
