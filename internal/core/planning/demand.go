// Package planning works out what a service takes: how many plates will be asked for, how much fish that
// is, which lots it comes of, what has to be bought, and when each step towards it begins.
//
//	covers := planning.Estimate{Mean: 62, SD: 9}
//	plates := covers.Plates(0.3)        // 18.6 give or take 4.5
//	n := math.Ceil(plates.Quantity(0.9)) // 25: runs out one night in ten
//	left := plates.Left(n)               // 6 left on average
package planning

import (
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Estimate is a number that nobody knows for sure, taken as normal: its mean and its standard deviation, which
// is at least 0.
type Estimate struct{ Mean, SD float64 }

// Plates are those of a dish that a share of the guests orders, 0 to 1. The guests choose, each by themselves:
//
//	mean = share · covers    variance = share² · sd² + covers · share · (1 − share)
//
// (the law of total variance over a binomial choice).
func (e Estimate) Plates(share float64) Estimate {
	return Estimate{share * e.Mean, math.Sqrt(share*share*e.SD*e.SD + e.Mean*share*(1-share))}
}

// Times is the estimate in other units.
func (e Estimate) Times(f float64) Estimate { return Estimate{e.Mean * f, e.SD * f} }

// Quantity is how much is enough with a chance, above 0 and below 1; at least 0.
func (e Estimate) Quantity(level float64) float64 {
	return math.Max(0, e.Mean+e.SD*distuv.UnitNormal.Quantile(level))
}

// Enough is the chance that a quantity is enough.
func (e Estimate) Enough(q float64) float64 {
	if e.SD == 0 {
		if q >= e.Mean {
			return 1
		}
		return 0
	}
	return distuv.UnitNormal.CDF((q - e.Mean) / e.SD)
}

// Left is how much of a quantity is left over on average:
//
//	E[(q − X)⁺] = (q − mean) · Φ(z) + sd · φ(z),   z = (q − mean) / sd
//
// (the loss function of the newsvendor; e.g. Silver, Pyke, Thomas, Inventory and Production Management in
// Supply Chains, appendix B, from memory).
func (e Estimate) Left(q float64) float64 {
	if e.SD == 0 {
		return math.Max(0, q-e.Mean)
	}
	z := (q - e.Mean) / e.SD
	return (q-e.Mean)*distuv.UnitNormal.CDF(z) + e.SD*distuv.UnitNormal.Prob(z)
}

// Short is how much is missing on average where there is a quantity.
func (e Estimate) Short(q float64) float64 { return e.Left(q) - (q - e.Mean) }

// Level is the chance of having enough that costs least where a plate that is missing costs so much, and one that
// is left over so much: short / (short + waste), the critical ratio of the newsvendor. It stays within LevelLeast
// and LevelMost.
func Level(shortage, waste float64) float64 {
	if shortage+waste <= 0 {
		return LevelLeast
	}
	return min(max(shortage/(shortage+waste), LevelLeast), LevelMost)
}

// Chances of having enough that a kitchen may choose between, and the one where it says nothing (house).
const (
	LevelLeast, LevelMost = 0.5, 0.99
	LevelUsual            = 0.9
)

// How much is known of a number of guests before any was counted, and of a share before any plate was sold (house):
// guests vary by coversSpread, which counts as coversPrior services; the share that was planned counts as
// sharePrior guests.
const (
	coversSpread = 0.15
	coversPrior  = 2
	sharePrior   = 40
)

// Covers are what guests of past services tell of the next one like them: the mean, and a spread that is drawn to
// coversSpread while there are few; false where there is none.
func Covers(past []float64) (Estimate, bool) {
	if len(past) == 0 {
		return Estimate{}, false
	}
	mean := stat.Mean(past, nil)
	var squares float64
	for _, x := range past {
		squares += (x - mean) * (x - mean)
	}
	prior := coversSpread * mean
	return Estimate{mean, math.Sqrt((coversPrior*prior*prior + squares) / (coversPrior + float64(len(past)) - 1))}, true
}

// Share is which share of the guests orders a dish, by what was planned and by plates that were sold to so many
// guests; at most 1.
func Share(planned, plates, guests float64) float64 {
	return math.Min(1, (planned*sharePrior+plates)/(sharePrior+guests))
}
