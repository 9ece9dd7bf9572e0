package ageing

import (
	"errors"
	"fmt"
	"math"
	"time"

	"gonum.org/v1/gonum/mat"
)

// Pace of the reference fish in the reference air, per day, and the loss at
// which its crust has halved it (house).
const (
	referenceK  = 0.012
	referenceLc = 0.10
)

// Band90 is how many standard deviations hold 90 % of a normal distribution.
const Band90 = 1.6448536269514722

// Curve is how one fish dries. Loss L, a share of the start weight, follows
//
//	L + L²/(2·Lc) = K·x,    that is    L = Lc·(√(1 + 2·K·x/Lc) − 1)
//
// with x the days dried, in days of the reference air (Climate.Dried): at K per day
// at first, then with √x as the crust forms; dL/dx = K/(1 + L/Lc).
type Curve struct {
	K  float64 // per day of the reference air, above 0
	Lc float64 // above 0
}

// StartCurve is the curve of a fish of a weight before anything is known of it: both
// K and Lc go with mass^(−1/3).
func StartCurve(kg float64) Curve {
	thin := math.Cbrt(ReferenceKg / kg)
	return Curve{referenceK * thin, referenceLc * thin}
}

// Loss after x days of the reference air.
func (c Curve) Loss(x float64) float64 {
	return c.Lc * (math.Sqrt(1+2*c.K*math.Max(x, 0)/c.Lc) - 1)
}

// Days of the reference air to a loss.
func (c Curve) Days(loss float64) float64 { return (loss + loss*loss/(2*c.Lc)) / c.K }

// Prior is what is held of a fish's curve before it is weighed: its middle, and
// the standard deviations of the logarithms of K and Lc.
type Prior struct {
	Curve
	SDK, SDLc float64
}

// sdLc is how weakly weigh-ins move Lc (house).
const sdLc = 0.20

// PriorWithoutHistory is the prior of a fish of a weight in a cabinet that never aged one.
func PriorWithoutHistory(kg float64) Prior {
	return Prior{StartCurve(kg), math.Sqrt(cabinetSD*cabinetSD + speciesSD*speciesSD + fishSD*fishSD), sdLc}
}

// WeighIn is a weight at a time.
type WeighIn struct {
	At time.Time
	Kg float64
}

// Scale is how exact a scale is.
type Scale struct{ StepKg float64 }

// wetShare is how far a weight may be off beside the scale, as a share of it: a
// wet skin, a drop at the tail (house).
const wetShare = 0.001

// SD is the standard deviation of a weight: the step of the scale, uniform, and
// what hangs on the fish.
func (s Scale) SD(kg float64) float64 { return math.Hypot(s.StepKg/math.Sqrt(12), wetShare*kg) }

// ErrWeighIns says that weigh-ins make no series.
var ErrWeighIns = errors.New("weigh-ins")

// Fit is what weigh-ins say of a fish: the most likely curve and start weight,
// and how sure that is.
type Fit struct {
	Curve
	StartKg float64
	At      time.Time // of the start
	Last    WeighIn
	Climate Climate
	Prior   Prior
	cov     *mat.SymDense // of ln K, ln Lc, start weight / first weighing
	first   float64
}

// NewFit fits the curve to weigh-ins of one fish, the first at its start, in the
// order of time, dried in a climate: the most likely one under the prior and
// normal errors of the scale, by Gauss and Newton, with the curvature there as its
// covariance (Laplace). The error is an ErrWeighIns.
func NewFit(weighIns []WeighIn, climate Climate, prior Prior, scale Scale) (Fit, error) {
	if len(weighIns) == 0 {
		return Fit{}, fmt.Errorf("%w: none", ErrWeighIns)
	}
	for i, w := range weighIns {
		if !(w.Kg > 0) || i > 0 && !w.At.After(weighIns[i-1].At) {
			return Fit{}, fmt.Errorf("%w: weights above 0, in the order of time", ErrWeighIns)
		}
	}
	start := weighIns[0]
	f := Fit{At: start.At, Last: weighIns[len(weighIns)-1], Climate: climate, Prior: prior, first: start.Kg}
	dried := make([]float64, len(weighIns))
	for i, w := range weighIns {
		dried[i] = climate.Dried(start.At, w.At)
	}
	theta := [3]float64{math.Log(prior.K), math.Log(prior.Lc), 1}
	mean := theta
	// the first weighing says the start
	precision := [3]float64{1 / (prior.SDK * prior.SDK), 1 / (prior.SDLc * prior.SDLc), 0}
	for range 30 {
		hessian := mat.NewSymDense(3, nil)
		gradient := mat.NewVecDense(3, nil)
		for i := range 3 {
			hessian.SetSym(i, i, precision[i])
			gradient.SetVec(i, precision[i]*(mean[i]-theta[i]))
		}
		curve := Curve{math.Exp(theta[0]), math.Exp(theta[1])}
		for i, w := range weighIns {
			loss, slope := curve.Loss(dried[i]), curve.slopes(dried[i])
			sd := scale.SD(w.Kg) / start.Kg
			off := (w.Kg/start.Kg - theta[2]*(1-loss)) / sd
			by := [3]float64{-theta[2] * slope[0] / sd, -theta[2] * slope[1] / sd, (1 - loss) / sd}
			for a := range 3 {
				gradient.SetVec(a, gradient.AtVec(a)+by[a]*off)
				for b := a; b < 3; b++ {
					hessian.SetSym(a, b, hessian.At(a, b)+by[a]*by[b])
				}
			}
		}
		var chol mat.Cholesky
		if !chol.Factorize(hessian) {
			return f, fmt.Errorf("%w: they tell no curve", ErrWeighIns)
		}
		var step mat.VecDense
		if err := chol.SolveVecTo(&step, gradient); err != nil {
			return f, fmt.Errorf("%w: %w", ErrWeighIns, err)
		}
		most := 0.0
		for i := range 3 {
			d := math.Min(math.Max(step.AtVec(i), -0.7), 0.7) // never more than double or half at once
			theta[i] += d
			most = math.Max(most, math.Abs(d))
		}
		f.cov = mat.NewSymDense(3, nil)
		if err := chol.InverseTo(f.cov); err != nil {
			return f, fmt.Errorf("%w: %w", ErrWeighIns, err)
		}
		if most < 1e-9 {
			break
		}
	}
	f.Curve, f.StartKg = Curve{math.Exp(theta[0]), math.Exp(theta[1])}, theta[2]*start.Kg
	return f, nil
}

// slopes are the derivatives of the loss by ln K and by ln Lc.
func (c Curve) slopes(x float64) [2]float64 {
	root := math.Sqrt(1 + 2*c.K*x/c.Lc)
	return [2]float64{c.K * x / root, c.Lc*(root-1) - c.K*x/root}
}

// Band is a value with the ends of its 90 % band.
type Band struct{ Mid, Lo, Hi float64 }

// LossAfter is the loss after x days of the reference air.
func (f Fit) LossAfter(x float64) Band {
	mid, sd := f.Loss(x), f.lossSD(x)
	return Band{mid, math.Max(0, mid-Band90*sd), mid + Band90*sd}
}

func (f Fit) lossSD(x float64) float64 {
	s := f.slopes(x)
	return f.spread([3]float64{s[0], s[1], 0})
}

// spread is the standard deviation of a quantity with a gradient.
func (f Fit) spread(g [3]float64) float64 {
	v := mat.NewVecDense(3, g[:])
	return math.Sqrt(math.Max(0, mat.Inner(v, f.cov, v)))
}

// Pace is what the fish says of its cabinet: the logarithm of its K against that
// of the reference fish of its weight, and its standard deviation, without what the prior held.
func (f Fit) Pace() (log, sd float64, ok bool) {
	precision := 1/f.cov.At(0, 0) - 1/(f.Prior.SDK*f.Prior.SDK)
	if precision < 1/(cabinetSD*cabinetSD) { // the weigh-ins say less than nothing known
		return 0, 0, false
	}
	start := StartCurve(f.StartKg).K
	log = (math.Log(f.K/start)/f.cov.At(0, 0) - math.Log(f.Prior.K/start)/(f.Prior.SDK*f.Prior.SDK)) / precision
	return log, 1 / math.Sqrt(precision), true
}

// Point is a forecast.
type Point struct {
	At time.Time
	Band
}

// Forecast is the loss at times, by the climate that was measured, and its Set
// from where it ends.
func (f Fit) Forecast(at ...time.Time) []Point {
	points := make([]Point, len(at))
	for i, t := range at {
		points[i] = Point{t, f.LossAfter(f.Climate.Dried(f.At, t))}
	}
	return points
}

// Moment is a time with the ends of its 90 % band. A zero end lies beyond
// MostDays.
type Moment struct{ Mid, Lo, Hi time.Time }

// MostDays is how far ahead a forecast looks.
const MostDays = 60

// Reaches is when the fish has lost a share; zero times where it does not within
// MostDays of its start.
func (f Fit) Reaches(loss float64) Moment {
	x := f.Days(loss)
	// By the derivatives of (L + L²/(2Lc))/K.
	sd := f.spread([3]float64{-x, -loss * loss / (2 * f.Lc) / f.K, 0})
	return Moment{f.when(x), f.when(math.Max(0, x-Band90*sd)), f.when(x + Band90*sd)}
}

// when is when the fish has dried for x days of the reference air.
func (f Fit) when(x float64) time.Time {
	end := f.At.AddDate(0, 0, MostDays)
	if f.Climate.Dried(f.At, end) < x {
		return time.Time{}
	}
	hour := func(n int) time.Time { return f.At.Add(time.Duration(n) * time.Hour) }
	lo, hi, before := 0, int(end.Sub(f.At).Hours()), 0.0
	for hi-lo > 1 {
		mid := (lo + hi) / 2
		if dried := before + f.Climate.Dried(hour(lo), hour(mid)); dried < x {
			lo, before = mid, dried
		} else {
			hi = mid
		}
	}
	after := before + f.Climate.Dried(hour(lo), hour(hi))
	share := 1.0
	if after > before {
		share = math.Min(1, math.Max(0, (x-before)/(after-before)))
	}
	return hour(lo).Add(time.Duration(share * float64(time.Hour)))
}

// Surprise is how far a new weight lies from what the fit forecasts, in standard
// deviations: above 0 where it is heavier.
func (f Fit) Surprise(w WeighIn, scale Scale) float64 {
	x := f.Climate.Dried(f.At, w.At)
	loss, s := f.Loss(x), f.slopes(x)
	start := f.StartKg / f.first
	sd := f.first * f.spread([3]float64{-start * s[0], -start * s[1], 1 - loss})
	return (w.Kg - f.StartKg*(1-loss)) / math.Hypot(sd, scale.SD(w.Kg))
}

// OddWeightSD is the surprise from which a weight is asked about (house).
const OddWeightSD = 3.0
