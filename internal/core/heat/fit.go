package heat

import (
	"fmt"
	"math"
	"slices"
	"time"
)

// Bounds between which a surface coefficient is looked for, W/(m²·K): still air
// to a jet of brine.
const leastFitH, mostFitH = 2.0, 600.0

// The bounds are cut into fitParts, since far from the truth a readier body may
// fit better again where the medium changes; fitSteps then narrow the best of
// them to 1 %.
const (
	fitParts = 9
	fitSteps = 11
)

// Fit finds the surface coefficient with which the process passes nearest to
// temperatures of the core, by least squares over its logarithm, and how far it
// still is off, K (root of the mean square). The temperatures are in the order
// of time since the start, and lie within Max; the error is an ErrProcess.
func (p Process) Fit(core []At) (h, off float64, err error) {
	if len(core) == 0 {
		return 0, 0, fmt.Errorf("%w: nothing to fit to", ErrProcess)
	}
	p.H, p.Goals, p.Whole = 1, nil, true
	p.Max = max(core[len(core)-1].Since, time.Minute)
	if err := p.Check(); err != nil {
		return 0, 0, err
	}
	miss := func(logH float64) float64 {
		p.H = math.Exp(logH)
		r, _ := p.Run() // checked
		sum := 0.0
		for _, x := range core {
			d := r.CoreAt(x.Since) - x.Celsius
			sum += d * d
		}
		return math.Sqrt(sum / float64(len(core)))
	}
	const golden = 0.6180339887498949
	first, part := math.Log(leastFitH), math.Log(mostFitH/leastFitH)/fitParts
	best, least := first, math.Inf(1)
	for i := range fitParts + 1 {
		if m := miss(first + float64(i)*part); m < least {
			best, least = first+float64(i)*part, m
		}
	}
	lo, hi := best-part, best+part
	a, b := hi-golden*(hi-lo), lo+golden*(hi-lo)
	atA, atB := miss(a), miss(b)
	for range fitSteps {
		if atA <= atB {
			hi, b, atB = b, a, atA
			a = hi - golden*(hi-lo)
			atA = miss(a)
		} else {
			lo, a, atA = a, b, atB
			b = lo + golden*(hi-lo)
			atB = miss(b)
		}
	}
	best = (lo + hi) / 2
	return math.Exp(best), miss(best), nil
}

// CoreAt is the core's temperature at a time, straight between the points of
// the curve.
func (r Result) CoreAt(since time.Duration) float64 {
	i, _ := slices.BinarySearchFunc(r.Curve, since, func(m Moment, t time.Duration) int { return int(m.Since - t) })
	switch {
	case i == 0:
		return r.Curve[0].Core
	case i == len(r.Curve):
		return r.Curve[i-1].Core
	}
	a, b := r.Curve[i-1], r.Curve[i]
	return a.Core + (b.Core-a.Core)*float64(since-a.Since)/float64(b.Since-a.Since)
}
