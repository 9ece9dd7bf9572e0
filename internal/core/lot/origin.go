package lot

import (
	"math"
	"time"

	"leancatch/internal/core/freshness"
)

// Origin is where the age by the papers begins.
type Origin struct {
	At             time.Time
	DaysBefore, SD float64 // days that lie before it, and how far it may be off
}

// Origin returns it: the death where it was written down, else the date on the
// papers; false where neither says anything. What was stamped on deck is surer
// than papers are.
func (s *State) Origin() (Origin, bool) {
	if death, ok := s.Death(); ok && s.Harvest.Known() {
		sd := freshness.PaperDateSD
		if s.Received.OwnCatch && death.Assumed == "" {
			sd = freshness.OwnCatchDateSD
		}
		return Origin{death.At, 0, sd}, true
	}
	claim := s.Received.LabelDate
	if !claim.Known() {
		return Origin{}, false
	}
	before, sd, _ := claim.Means.Before()
	return Origin{*claim.At, before, math.Hypot(freshness.PaperDateSD, sd)}, true
}

// Start is where the cold line begins: the origin, or the receipt.
func (s *State) Start() time.Time {
	if o, ok := s.Origin(); ok {
		return o.At
	}
	return s.ReceivedAt
}
