package assess

import (
	"math"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/rigor"
)

// Rigor is the course of a lot's stiffness, in times.
type Rigor struct {
	rigor.Course
	Death time.Time
}

// At is a time some hours after death.
func (r Rigor) At(hours float64) time.Time {
	return r.Death.Add(time.Duration(hours * float64(time.Hour)))
}

// Over is when rigor is over for certain, and MayBeOver when it may be.
func (r Rigor) Over() time.Time { return r.At(r.End.Hi()) }

func (r Rigor) MayBeOver() time.Time { return r.At(r.End.Lo()) }

// Stiff reports whether the fish is stiff at a time, by all that is known.
func (r Rigor) Stiff(at time.Time) bool {
	return !at.Before(r.At(r.Onset.Lo())) && at.Before(r.MayBeOver())
}

// rigor follows the fish from its death through the temperatures of the
// assessment; nil where the death was not written down in a harvest record, and
// for what is no whole fish.
func (t assessor) rigor(a Assessment) *Rigor {
	death, ok := t.state.Death()
	if !ok || !t.state.Harvest.Known() || a.Frozen || !wholeFish[t.state.Form] {
		return nil
	}
	var history []rigor.Stay
	for _, st := range a.Stretches {
		if e := coldchain.Sum(st.Parts); e.Covered > 0 {
			history = append(history, rigor.Stay{Hours: e.Covered.Hours(), Celsius: e.Mean()})
		}
	}
	if now := a.NowC; !math.IsNaN(now) {
		history = append(history, rigor.Stay{Celsius: now})
	}
	if len(history) == 0 {
		return nil
	}
	return &Rigor{Course: rigor.Follow(t.state.Species(), t.state.Harvest.Stressed(), history), Death: death.At}
}

// wholeFish are the forms that stiffen as a fish does.
var wholeFish = map[string]bool{"whole": true, "gutted": true, "gutted_gills_out": true, "headed_gutted": true}
