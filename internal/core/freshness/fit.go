package freshness

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"

	"leancatch/internal/core/species"
)

// KnownLot is a lot of known history: the mean index of its fish on a day, in ice
// days since its death.
type KnownLot struct {
	Days  float64
	Index float64
}

// FewestKnownLots is the number of lots below which no line is fitted (house).
const FewestKnownLots = 8

// Errors of Fit.
var (
	ErrFewKnown  = fmt.Errorf("needs at least %d lots of known history", FewestKnownLots)
	ErrShortSpan = errors.New("needs lots whose ages span at least a third of the middle of the shelf life")
	ErrNoSlope   = errors.New("the index does not rise with the age of these lots in a way that a fish could")
)

// Fit fits the scheme's calibration for a species to lots of known history by
// least squares,
//
//	index = a + b·d,   s² = Σ residual² / (n − 2),
//
// and returns it as the line from a on day 0 to the rejection index, which
// stays where it is. The scatter of a fish is s/b days and the error of the
// line the standard error of its mean, s/(b·√n), neither below a floor. The
// scheme must have a calibration. It returns ErrFewKnown, ErrShortSpan or ErrNoSlope.
func (s Scheme) Fit(shelf species.Range, lots []KnownLot) (Calibration, error) {
	if len(lots) < FewestKnownLots {
		return Calibration{}, ErrFewKnown
	}
	days, index := make([]float64, len(lots)), make([]float64, len(lots))
	lo, hi := math.Inf(1), math.Inf(-1)
	for i, l := range lots {
		days[i], index[i] = l.Days, l.Index
		lo, hi = math.Min(lo, l.Days), math.Max(hi, l.Days)
	}
	mid, n := shelf.Mid(), float64(len(lots))
	if hi-lo < mid/3 {
		return Calibration{}, ErrShortSpan
	}
	a, b := stat.LinearRegression(days, index, nil, false)
	var residual float64
	for i := range days {
		residual += math.Pow(index[i]-a-b*days[i], 2)
	}
	fitted := *s.Calibration
	fitted.IndexAtDeath = math.Max(0, a)
	fitted.RejectionDay = (s.Rejection() - a) / b / mid
	fitted.SigmaFish = math.Max(minSigma, math.Sqrt(residual/(n-2))/b/mid)
	fitted.SigmaCalibration = math.Max(minSigma/2, fitted.SigmaFish/math.Sqrt(n))
	fitted.Origin = fmt.Sprintf("this kitchen: %d lots of known history", len(lots))
	check := s
	check.Calibration = &fitted
	if !(b > 0) || check.Check() != nil {
		return Calibration{}, ErrNoSlope
	}
	return fitted, nil
}

// minSigma keeps a lucky fit from pretending to know ages to the hour (house).
const minSigma = 0.05
