package planning

import (
	"errors"
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Chain is what becomes of a kilogram on its way to the plate.
type Chain struct {
	Yield      Estimate // share of the weight as bought that is used, above 0 and at most 1
	AgeingLoss float64  // share of the weight, 0 to below 1
	DripLoss   float64  // the same
}

// Usable is the share of the weight as bought that lies on plates.
func (c Chain) Usable() Estimate { return c.Yield.Times((1 - c.AgeingLoss) * (1 - c.DripLoss)) }

// Wanted is what is to be bought for.
type Wanted struct {
	UsableKg Estimate // all that the plates take
	OnHandKg float64  // of that is here, usable, and fit then
	Chain    Chain    // of what is bought
	Level    float64  // chance of having enough, above 0 and below 1
	FishKg   float64  // what one fish weighs; 0 where it is bought by weight
	BoxKg    float64  // what a box holds; 0 for single fish
}

// Bought is a quantity to buy, and what it does.
type Bought struct {
	UsableKg float64 // of it is missing
	WholeKg  float64 // to buy
	Fish     int     // the same as fish; 0 where it is bought by weight
	Boxes    int     // the same as boxes; 0 where it does not come in boxes
	Enough   float64 // chance that there is enough
	LeftKg   float64 // usable, left over on average
}

// ErrUnsure says that no quantity is enough with such a chance: the yield is too unsure.
var ErrUnsure = errors.New("the yield is not known well enough for that certainty")

// Buy is the least that is enough with the chance that is wanted. What is there, onHand + w · s, less what is asked
// for, is normal with
//
//	mean = onHand + w · μ_s − μ    variance = σ² + w² · σ_s²
//
// where s is the usable share and w what is bought. It is at least 0 with the chance Φ(z) where the mean is z standard
// deviations: with lack = μ − onHand and a = μ_s² − z²σ_s²,
//
//	w = (lack · μ_s + z · √(a · σ² + lack² · σ_s²)) / a
//
// Fish and boxes are rounded up.
func (w Wanted) Buy() (Bought, error) {
	share, z := w.Chain.Usable(), distuv.UnitNormal.Quantile(w.Level)
	lack := w.UsableKg.Mean - w.OnHandKg
	a := share.Mean*share.Mean - z*z*share.SD*share.SD
	if a <= 0 {
		return Bought{}, ErrUnsure
	}
	root := a*w.UsableKg.SD*w.UsableKg.SD + lack*lack*share.SD*share.SD
	kg := math.Max(0, (lack*share.Mean+z*math.Sqrt(root))/a)
	out := Bought{UsableKg: kg * share.Mean, WholeKg: kg}
	if unit := w.BoxKg; unit > 0 {
		out.Boxes = RoundedUp(kg / unit)
		out.WholeKg = float64(out.Boxes) * unit
	}
	if w.FishKg > 0 {
		out.Fish = RoundedUp(out.WholeKg / w.FishKg)
		if out.Boxes == 0 {
			out.WholeKg = float64(out.Fish) * w.FishKg
		}
	}
	out.Enough, out.LeftKg = w.With(out.WholeKg)
	return out, nil
}

// With is the chance of having enough, and what is left over on average, usable, where a weight is bought, kg.
func (w Wanted) With(wholeKg float64) (enough, leftKg float64) {
	share := w.Chain.Usable()
	lacking := Estimate{w.UsableKg.Mean - w.OnHandKg - wholeKg*share.Mean, math.Hypot(w.UsableKg.SD, wholeKg*share.SD)}
	return lacking.Enough(0), lacking.Left(0)
}

// RoundedUp is the next whole number; what is one but for the arithmetic stays it.
func RoundedUp(x float64) int { return int(math.Ceil(x - 1e-9)) }
