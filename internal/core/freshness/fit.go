package freshness

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"

	"leancatch/internal/core/species"
)

// KnownLot is a lot of known history: the mean index of its fish on a day, in ice
// days since its death, give or take SD.
type KnownLot struct {
	Days, SD float64
	Index    float64
}

// FewestKnownLots is the number of lots below which no line is fitted (house).
const FewestKnownLots = 8

// Errors of Fit.
var (
	ErrFewKnown  = fmt.Errorf("needs at least %d lots of known history", FewestKnownLots)
	ErrShortSpan = errors.New("needs lots whose ages span at least a third of the middle of the shelf life")
	ErrVague     = errors.New("the dates of these lots are too uncertain against how far apart they lie: take lots whose day of death is known")
	ErrNoSlope   = errors.New("the index does not rise with the age of these lots in a way that a fish could")
)

// Fit fits the scheme's calibration for a species to lots of known history. Their
// ages have an error of their own, which would make the line too flat: with v the
// mean of SD², by the moments [Fuller1987, section 1.2]
//
//	index = a + b·d,   b = S_xy/(S_xx − v),   s² = Σ residual² / (n − 2),
//
// and returns it as the line from a on day 0 to the rejection index, which
// stays where it is. The scatter of a fish is √(s²/b² − v) days and the error of the
// line the standard error of its mean, s/(b·√n), neither below a floor. The
// scheme must have a calibration. It returns ErrFewKnown, ErrShortSpan, ErrVague or ErrNoSlope.
func (s Scheme) Fit(shelf species.Range, lots []KnownLot) (Calibration, error) {
	if len(lots) < FewestKnownLots {
		return Calibration{}, ErrFewKnown
	}
	days, index := make([]float64, len(lots)), make([]float64, len(lots))
	lo, hi, v := math.Inf(1), math.Inf(-1), 0.0
	mid, n := shelf.Mid(), float64(len(lots))
	for i, l := range lots {
		days[i], index[i] = l.Days, l.Index
		lo, hi = math.Min(lo, l.Days), math.Max(hi, l.Days)
		v += l.SD * l.SD / n
	}
	if hi-lo < mid/3 {
		return Calibration{}, ErrShortSpan
	}
	spread := stat.Variance(days, nil)
	if v > spread*mostVague {
		return Calibration{}, ErrVague
	}
	b := stat.Covariance(days, index, nil) / (spread - v)
	a := stat.Mean(index, nil) - b*stat.Mean(days, nil)
	var residual float64
	for i := range days {
		residual += math.Pow(index[i]-a-b*days[i], 2)
	}
	fitted := *s.Calibration
	fitted.IndexAtDeath = math.Max(0, a)
	fitted.RejectionDay = (s.Rejection() - a) / b / mid
	scatter := residual / (n - 2) / (b * b) // days²
	fitted.SigmaFish = math.Max(minSigma, math.Sqrt(math.Max(0, scatter-v))/mid)
	fitted.SigmaCalibration = math.Max(minSigma/2, math.Sqrt(scatter/n)/mid)
	fitted.Origin = fmt.Sprintf("this kitchen: %d lots of known history", len(lots))
	check := s
	check.Calibration = &fitted
	if !(b > 0) || check.Check() != nil {
		return Calibration{}, ErrNoSlope
	}
	return fitted, nil
}

// mostVague is the share of the ages' variance that may be the error of the dates (house).
const mostVague = 0.5

// minSigma keeps a lucky fit from pretending to know ages to the hour (house).
const minSigma = 0.05
