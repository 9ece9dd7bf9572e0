package assess

import (
	"slices"
	"time"

	"leancatch/internal/core/lot"
)

// ServedThen is whether the lot may be served for a use at an hour that is still to come, where it will lie along a plan
// of places until then, or as it lies: the same clocks and the same gate, read ahead. What is frozen, or thaws, is
// judged as if it were thawed by then: whether there is time for that is another question.
func (a Assessment) ServedThen(gate lot.Gate, at time.Time, plan ...Planned) Use {
	if at.After(a.At) {
		a = a.Ahead(at, plan...).At(at)
	}
	u := a.use(gate)
	if a.state.Frozen() || a.state.Thawing() {
		u = u.Thawed()
	}
	return u
}

// Thawed is the use without what speaks against it only because the fish is frozen, or thaws.
func (u Use) Thawed() Use {
	u.Reasons = slices.DeleteFunc(slices.Clone(u.Reasons), func(why string) bool { return why == ThawFirst || why == thaws.full })
	u.OK = len(u.Reasons) == 0
	return u
}
