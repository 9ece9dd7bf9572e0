package probe

import (
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
)

// Check is a check of a probe: what it read, without any offset, and what was true, °C.
type Check struct {
	At     time.Time
	Method Method
	ReadC  float64
	TrueC  float64
}

// Distrusted are the times in which what a probe read is no proof of cold, by its checks in any
// order: back to the good check before one that found it broken, or colder than true by more than
// the tolerance beside the offset that it had; and from one that found it broken to the next that
// does not. A probe that reads too warm errs on the safe side. The last one may have no end: it is at
// forever.
func Distrusted(checks []Check, forever time.Time) []coldchain.Span {
	checks = slices.SortedStableFunc(slices.Values(checks), func(a, b Check) int { return a.At.Compare(b.At) })
	var spans []coldchain.Span
	var since time.Time // its last check
	broken, offset := false, 0.0
	for _, c := range checks {
		v := c.Method.Judge(c.ReadC, c.TrueC)
		if broken || v.Broken || c.TrueC-c.ReadC-offset > c.Method.tolerance() {
			spans = coldchain.Join(spans, coldchain.Span{From: since, To: c.At})
		}
		if since, broken = c.At, v.Broken; !broken {
			offset = v.OffsetC
		}
	}
	if broken {
		spans = coldchain.Join(spans, coldchain.Span{From: since, To: forever})
	}
	return spans
}
