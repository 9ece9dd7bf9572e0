// Package yield says how much of a fish a cut gives: what the next cut will, by what the house expects, this
// kitchen has seen, its cutter has seen and its supplier has sent, each by how much it has seen.
//
// A cut of n fish by cutter c of supplier s gives
//
//	y = μ + u_c + v_s + e,   e ~ N(0, σ² + σ_fish²/n)
//
// of what went in, with μ ~ N(house, house SD²), u ~ N(0, τ_cutter²) and v ~ N(0, τ_supplier²): a linear model with
// normal priors, whose posterior is exact (Gelman et al., Bayesian Data Analysis, chapters 5 and 14, from memory).
// A cutter of whom little was seen is drawn to the kitchen, and the kitchen to the house.
//
//	p, err := yield.Pool(yield.Expected(0.42, 0.50), cuts)
//	next := p.Next(cutter, supplier, 3) // give or take
package yield

import (
	"errors"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Cut is a cut that was weighed. Zero for the cutter or the supplier stands for one that nobody knows.
type Cut struct {
	Cutter, Supplier int64
	Fish             int     // that were cut together, at least 1
	Yield            float64 // of what went in, above 0 and at most 1.1: rinsed parts weigh more
}

// Prior is what the house expects of a species and a cut.
type Prior struct{ Mean, SD float64 }

// Expected is a house range as a prior: nine kitchens in ten have their mean within it.
func Expected(lo, hi float64) Prior {
	return Prior{(lo + hi) / 2, math.Max((hi-lo)/2/z90, 0.005)}
}

// How far cuts lie apart, shares of what went in (house, from memory).
const (
	cutterSD   = 0.02  // one cutter from another
	supplierSD = 0.012 // fish of one supplier from those of another: trimmed otherwise, fatter
	cutSD      = 0.012 // a cut from another of the same cutter
	fishSD     = 0.025 // a fish from another
)

// z90 is the normal deviate of a band that holds nine in ten.
var z90 = distuv.UnitNormal.Quantile(0.95)

// Enough is how many weighed cuts it takes to tell a cutter's yield (house).
const Enough = 8

// ErrCuts says that a cut has no yield that can be.
var ErrCuts = errors.New("a cut needs at least one fish and a yield above 0 and at most 1.1")

// Pooled is what is known after some cuts.
type Pooled struct {
	prior    Prior
	index    map[key]int // of the unknowns in mean and cov; the kitchen's is 0
	mean     *mat.VecDense
	cov      *mat.SymDense
	cuts     map[key]int
	measured int
}

type key struct {
	supplier bool
	id       int64
}

// Pool is the exact posterior after cuts, which may be none. The error is ErrCuts.
func Pool(prior Prior, cuts []Cut) (*Pooled, error) {
	p := &Pooled{prior: prior, index: map[key]int{}, cuts: map[key]int{}, measured: len(cuts)}
	for _, c := range cuts {
		if c.Fish < 1 || !(c.Yield > 0 && c.Yield <= 1.1) {
			return nil, ErrCuts
		}
		for _, k := range c.keys() {
			if _, ok := p.index[k]; !ok {
				p.index[k] = 1 + len(p.index)
			}
			p.cuts[k]++
		}
	}
	n := 1 + len(p.index)
	precision, weighed := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
	precision.SetSym(0, 0, 1/(prior.SD*prior.SD))
	weighed.SetVec(0, prior.Mean/(prior.SD*prior.SD))
	for k, i := range p.index {
		precision.SetSym(i, i, 1/k.variance())
	}
	for _, c := range cuts {
		at, w := p.terms(c), 1/c.variance()
		for i, a := range at {
			for _, b := range at[i:] {
				precision.SetSym(a, b, precision.At(a, b)+w)
			}
			weighed.SetVec(a, weighed.AtVec(a)+w*c.Yield)
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(precision) {
		return nil, ErrCuts
	}
	p.cov, p.mean = mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
	if err := chol.InverseTo(p.cov); err != nil {
		return nil, err
	}
	p.mean.MulVec(p.cov, weighed)
	return p, nil
}

func (c Cut) keys() []key {
	var list []key
	if c.Cutter != 0 {
		list = append(list, key{false, c.Cutter})
	}
	if c.Supplier != 0 {
		list = append(list, key{true, c.Supplier})
	}
	return list
}

// variance is that of the cut about its mean.
func (c Cut) variance() float64 { return cutSD*cutSD + fishSD*fishSD/float64(c.Fish) }

func (k key) variance() float64 {
	if k.supplier {
		return supplierSD * supplierSD
	}
	return cutterSD * cutterSD
}

// terms are the unknowns that a cut is the sum of, as far as any cut told of them.
func (p *Pooled) terms(c Cut) []int {
	at := []int{0}
	for _, k := range c.keys() {
		if i, ok := p.index[k]; ok {
			at = append(at, i)
		}
	}
	return at
}

// Estimate is a yield with the band that holds nine in ten.
type Estimate struct {
	Mid, Lo, Hi float64
	Cuts        int // of the cutter that were weighed; of the kitchen where nobody says who cuts
}

// Few reports whether that are too few cuts to tell.
func (e Estimate) Few() bool { return e.Cuts < Enough }

// Next is what the next cut of some fish gives.
func (p *Pooled) Next(cutter, supplier int64, fish int) Estimate {
	c := Cut{Cutter: cutter, Supplier: supplier, Fish: max(fish, 1)}
	e := p.of(c, c.variance())
	return e
}

// Mean is what the cutter's cuts give in the long run; of supplier 0 with an average supplier's fish.
func (p *Pooled) Mean(cutter, supplier int64) Estimate {
	return p.of(Cut{Cutter: cutter, Supplier: supplier, Fish: 1}, 0)
}

// of is the estimate of a cut's mean, with more variance about it.
func (p *Pooled) of(c Cut, more float64) Estimate {
	at := p.terms(c)
	mid, variance := 0.0, more
	for _, i := range at {
		mid += p.mean.AtVec(i)
		for _, j := range at {
			variance += p.cov.At(i, j)
		}
	}
	for _, k := range c.keys() {
		if _, seen := p.index[k]; !seen {
			variance += k.variance()
		}
	}
	e := Estimate{Mid: mid, Cuts: p.measured}
	if c.Cutter != 0 {
		e.Cuts = p.cuts[key{false, c.Cutter}]
	}
	off := z90 * math.Sqrt(variance)
	e.Lo, e.Hi = math.Max(0, mid-off), math.Min(1, mid+off)
	return e
}

// Best is the cutter whose yield is the highest in the long run, of those with enough cuts to tell; false where
// nobody has.
func (p *Pooled) Best() (cutter int64, e Estimate, ok bool) {
	for k := range p.index {
		if k.supplier || p.cuts[k] < Enough {
			continue
		}
		if own := p.Mean(k.id, 0); !ok || own.Mid > e.Mid || own.Mid == e.Mid && k.id < cutter {
			cutter, e, ok = k.id, own, true
		}
	}
	return cutter, e, ok
}
