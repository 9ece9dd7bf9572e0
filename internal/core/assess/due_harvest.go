package assess

import (
	"fmt"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/rigor"
	"leancatch/internal/core/safety"
)

// When the steps on deck are due (house; bleeding: FAO348).
const (
	bleedWithin = 30 * time.Minute // of death
	iceWithin   = time.Hour        // of death, for fish that is no histamine former
)

// fromDeath adds what is due on the way from death to dock.
func fromDeath(s *lot.State, a Assessment, add func(do, why, path string, at time.Time)) {
	death, known := s.Death()
	if s.Waiting() && known {
		if s.Harvest.Bled == nil {
			add("Bleed", fmt.Sprintf("within %.0f min of death", bleedWithin.Minutes()), "own-catch",
				death.At.Add(bleedWithin))
		}
		if b := a.Histamine; b != nil {
			add("Put on ice", fmt.Sprintf("histamine: at most %.0f h from death", b.ToChill.Allowed), "own-catch",
				death.At.Add(inHours(safety.WarnShare*b.ToChill.Allowed)))
		} else {
			add("Put on ice", "every warm hour spends hours of its life", "own-catch", death.At.Add(iceWithin))
		}
	}
	if b := a.Histamine; b != nil {
		switch {
		case b.State == safety.StateUnknown:
			add("Explain missing hours", b.Text(), "", s.ReceivedAt.Add(InspectWithin))
		case b.State == safety.StateStop:
			add("Test or discard", b.Text(), "", a.At)
		case len(histamineCuts(s)) > 0 && a.NowC > safety.ChilledC && a.NowKind != coldchain.Assumed:
			left := b.After.Allowed * (1 - b.Share)
			add("Chill now", fmt.Sprintf("histamine: %.1f h left at this temperature", left), "",
				a.At.Add(inHours(left)))
		}
	}
	// a range of other species is no appointment
	if r := a.Rigor; r != nil && r.Stage != rigor.Past && r.Basis != rigor.OtherSpecies {
		if r.Stage == rigor.Before {
			add("Straighten", "before it stiffens", "", r.At(r.Onset.Lo()))
		}
		if may := r.MayBeOver(); r.Stage != rigor.Passing {
			add("Feel for rigor", "it may be over from now on", "", may)
		}
		add("Fillet", "rigor is over for certain", "", r.Over())
	}
}

func inHours(h float64) time.Duration { return time.Duration(h * float64(time.Hour)) }

// Ban is work on a lot that its stiffness forbids for now.
type Ban struct {
	rigor.Ban
	MayFrom time.Time // from then on try it
	From    time.Time // from then on it is safe
}

// Bans lists what the stiffness of a lot forbids now.
func (a Assessment) Bans() []Ban {
	if a.Rigor == nil {
		return nil
	}
	var bans []Ban
	for _, b := range a.Rigor.Stage.Forbids() {
		bans = append(bans, Ban{b, a.Rigor.MayBeOver(), a.Rigor.Over()})
	}
	return bans
}
