package assess

import (
	"math"
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// with is what both say of fish that was put together: the worse of each clock, the shorter life, and of the rest
// that of the lot itself. What speaks against a use of one of them speaks against it.
func (a Assessment) with(other Assessment) Assessment {
	if a.own == nil {
		own := a
		a.own = &own
	}
	a.others = append(slices.Clone(a.others), other)
	a.Clocks = slices.Clone(a.Clocks)
	for i, r := range a.Clocks {
		a.Clocks[i] = worseOf(r, other.Clocks[i])
	}
	for _, stop := range other.Stops {
		if !slices.Contains(a.Stops, stop) {
			a.Stops = append(slices.Clip(a.Stops), stop)
		}
	}
	if a.Spent == "" {
		a.Spent = other.Spent
	}
	switch {
	case other.Basis == freshness.BasisNone && !a.Frozen: // of a part nobody knows the age
		a.Basis, a.Used, a.Left, a.RealDays = other.Basis, other.Used, other.Left, other.RealDays
	case other.Known() && a.Known() && other.Left.Days < a.Left.Days:
		a.Used, a.Left, a.RealDays, a.Shelf = other.Used, other.Left, other.RealDays, other.Shelf
	}
	if !other.KeepTo.IsZero() && (a.KeepTo.IsZero() || other.KeepTo.Before(a.KeepTo)) {
		a.KeepTo = other.KeepTo
	}
	if !other.Parasites.Met && other.Parasites.Exempt == "" {
		a.Parasites = other.Parasites
	}
	a.NowC = math.Max(a.NowC, other.NowC)
	return a
}

// gravity orders the states of a clock.
var gravity = map[safety.State]int{safety.StateOff: 0, safety.StateOK: 1, safety.StateWarn: 2, safety.StateUnknown: 3, safety.StateStop: 4}

// worseOf is the graver of two readings of a clock, at the larger share, closing what either closes.
func worseOf(a, b Reading) Reading {
	worse, other := a, b
	if gravity[b.State] > gravity[a.State] || gravity[b.State] == gravity[a.State] && b.Share > a.Share {
		worse, other = b, a
	}
	if other.Share > worse.Share {
		worse.Share = other.Share
	}
	guards := slices.Clone(worse.Guards)
	for _, g := range other.Guards {
		if !slices.Contains(guards, g) {
			guards = append(guards, g)
		}
	}
	worse.Guards = guards
	return worse
}

// together assesses the lots that were put together with one at a time, and takes the worse of all.
func (a Assessment) together(s *lot.State, assess func(*lot.State) Assessment) Assessment {
	for _, other := range s.Others {
		a = a.with(assess(other))
	}
	return a
}
