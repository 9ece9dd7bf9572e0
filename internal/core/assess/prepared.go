package assess

import (
	"fmt"
	"math"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/preparing"
	"leancatch/internal/core/safety"
)

// preparedClock counts the hours of fish that was prepared ahead, while it is not frozen: past those of its way nothing
// of it is raw, frozen or aged; of what was assembled nothing is used. A day that somebody set for what went in stops it
// whatever was frozen between.
func (t assessor) preparedClock() Reading {
	s := t.state
	if len(s.Preparations) == 0 || s.Cooked != nil {
		return off(ClockPrepared)
	}
	worst := off(ClockPrepared)
	for _, p := range s.Preparations {
		if p.At.After(t.at) {
			continue
		}
		r := t.preparedBy(p)
		if math.IsNaN(worst.Share) || r.Share > worst.Share || len(r.Guards) > len(worst.Guards) {
			worst = r
		}
	}
	return worst
}

// preparedBy is the clock of one preparation.
func (t assessor) preparedBy(p lot.Step[lot.Prepared]) Reading {
	m, _ := preparing.Get(p.Data.Method)
	hours := coldchain.Total(thawedParts(t.state, coldchain.Span{From: p.At, To: t.at})).Hours()
	share := hours / m.Hours
	if by := p.Data.UseBy; by != nil {
		share = math.Max(share, t.at.Sub(p.At).Hours()/math.Max(by.Sub(p.At).Hours(), 1e-3))
	}
	r := Reading{ID: ClockPrepared, State: byShare(share), Share: share, Since: p.At, Guards: []lot.Gate{lot.GateDryAge},
		Why: "was prepared: it is not aged any more"}
	if r.State == safety.StateStop {
		r.Guards = cookOnly
		if m.Every {
			r.Guards = every
		}
		r.Since = time.Time{}
		r.Why = fmt.Sprintf("%s for %.0f h, at most %.0f h: %s", strings.ToLower(m.Name), hours, m.Hours, m.Why)
		if by := p.Data.UseBy; by != nil && t.at.After(*by) {
			r.Why = strings.ToLower(m.Name) + ": the day of what went in is over"
		}
	}
	return r
}
