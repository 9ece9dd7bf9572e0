// Package probe knows what a thermometer is worth: how it is checked in melting
// ice or boiling water, and how the clock of a probe that sends is put right.
package probe

import (
	"math"
	"time"
)

// Method is how a probe is checked.
type Method string

// The methods.
const (
	Ice       Method = "ice"       // in melting ice and water, stirred: 0 °C
	Boiling   Method = "boiling"   // in water at a rolling boil: by the altitude
	Reference Method = "reference" // beside a thermometer that is known to be right
)

// Methods lists them.
var Methods = []Method{Ice, Boiling, Reference}

// Name is the method in words.
func (m Method) Name() string {
	return map[Method]string{Ice: "Melting ice", Boiling: "Boiling water", Reference: "Beside a reference"}[m]
}

const (
	// PassK is how far off, K, a probe may be at the ice point and pass [common
	// practice; domain rule: 0 °C ± 0.5]. The offset is applied all the same.
	PassK = 0.5
	// BoilingPassK is the same at the boiling point (house): the boil and the
	// weather are not that exact.
	BoilingPassK = 1.0
	// MostOffsetK is the offset up to which a probe is put right by calculation
	// (house); beyond it is broken.
	MostOffsetK = 2.0
)

// Altitudes for which BoilingC holds, m.
const LowestM, HighestM = -450.0, 5000.0

// BoilingC is the boiling point of water at an altitude h, m, °C: the pressure
// of the standard atmosphere
//
//	p = 101.325·(1 − 2.25577·10⁻⁵·h)^5.25588 kPa   [ISO2533]
//
// put into Antoine's equation for water between 1 and 100 °C
//
//	log₁₀ p = 8.07131 − 1730.63/(233.426 + t), p in mmHg   [DDB]
//
// Weather moves it by some 0.7 K either way. NaN outside LowestM … HighestM.
func BoilingC(altitudeM float64) float64 {
	if !(altitudeM >= LowestM && altitudeM <= HighestM) {
		return math.NaN()
	}
	kPa := 101.325 * math.Pow(1-2.25577e-5*altitudeM, 5.25588)
	return 1730.63/(8.07131-math.Log10(kPa*760/101.325)) - 233.426
}

// TrueC is what a right thermometer reads; referenceC counts for Reference only.
func (m Method) TrueC(altitudeM, referenceC float64) float64 {
	switch m {
	case Ice:
		return 0
	case Boiling:
		return BoilingC(altitudeM)
	}
	return referenceC
}

// Verdict is what a check says.
type Verdict struct {
	OffsetC float64 // to be added to each reading from then on
	Passed  bool    // within the tolerance; else it is put right, or broken
	Broken  bool    // too far off to be put right: OffsetC is 0
}

// Judge judges a check by what the probe read, before any offset, and what was
// true.
func (m Method) Judge(readC, trueC float64) Verdict {
	v := Verdict{OffsetC: math.Round(100*(trueC-readC)) / 100}
	v.Passed = math.Abs(v.OffsetC) <= m.tolerance()
	if v.Broken = !(math.Abs(v.OffsetC) <= MostOffsetK); v.Broken {
		v.OffsetC = 0
	}
	return v
}

// tolerance is how far off a probe may be and pass, K.
func (m Method) tolerance() float64 {
	if m == Boiling {
		return BoilingPassK
	}
	return PassK
}

// Offset is an offset and since when it is applied.
type Offset struct {
	At time.Time
	C  float64
}

// OffsetAt is what is added to a reading of a time; offsets are ascending.
func OffsetAt(offsets []Offset, at time.Time) float64 {
	c := 0.0
	for _, o := range offsets {
		if o.At.After(at) {
			break
		}
		c = o.C
	}
	return c
}
