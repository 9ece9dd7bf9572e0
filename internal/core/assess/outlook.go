package assess

import (
	"time"

	"leancatch/internal/core/lot"
)

// Serving is what a lot may be served as.
type Serving string

// The servings, the best first: what may be served raw may be cooked too.
const (
	ServeRaw  Serving = "raw"
	ServeCook Serving = "cook"
	ServeNone Serving = "none"
)

// Spell is a time in which a lot may be served as the same: until the next one begins.
type Spell struct {
	From    time.Time `json:"from"`
	Serving Serving   `json:"serving"`
	Why     string    `json:"why,omitempty"` // in two or three words why nothing better; "" for raw
}

// OutlookAhead is how far a lot is looked ahead for.
const OutlookAhead = farthestAhead

// The end of a spell is told on the safe side: as exactly as this, or as this share of the time until
// then.
const (
	outlookStep  = time.Minute
	outlookShare = 0.01
)

// Outlook is what a lot may be served as from its assessment on, kept as it lies and with
// nothing written of it: the spells of the time from now until OutlookAhead, each worse than the
// one before. Its clocks and its gate are those of the present, read ahead.
//
// With nothing new a lot never becomes better: so between two moments at which it may be
// served as the same it is so all the while, and the ends of spells are found by halving.
func (a Assessment) Outlook() []Spell {
	now := a.Spell()
	spells := []Spell{now}
	if now.Serving == ServeNone {
		return spells
	}
	end := a.At.Add(OutlookAhead)
	ahead := a.Ahead(end)
	from, to := now, ahead.At(end).Spell()
	for from.Serving != to.Serving {
		lo, hi := from.From, to
		for hi.From.Sub(lo) > max(outlookStep, time.Duration(outlookShare*float64(lo.Sub(a.At)))) {
			mid := ahead.At(lo.Add(hi.From.Sub(lo) / 2)).Spell()
			if mid.Serving == from.Serving {
				lo = mid.From
			} else {
				hi = mid
			}
		}
		from = hi
		hi.From = lo // the last moment that is sure
		spells = append(spells, hi)
	}
	return spells
}

// Spell is what the lot may be served as at the moment of its assessment.
func (a Assessment) Spell() Spell {
	if raw := a.use(lot.GateRaw); raw.OK {
		return Spell{From: a.At, Serving: ServeRaw}
	} else if cook := a.use(lot.GateCook); cook.OK {
		return Spell{From: a.At, Serving: ServeCook, Why: raw.Brief}
	} else {
		return Spell{From: a.At, Serving: ServeNone, Why: cook.Brief}
	}
}

// SpellAt is the spell of an outlook in which a time lies; the first one before it begins.
func SpellAt(outlook []Spell, at time.Time) Spell {
	var in Spell
	for i, s := range outlook {
		if i == 0 || !at.Before(s.From) {
			in = s
		}
	}
	return in
}
