package preparing

import (
	"errors"
	"fmt"
	"math"
	"time"

	"leancatch/internal/core/heat"
)

// Steam as it is in a closed pan or a combi oven, what sets the flesh, and the temperature at which its properties are
// taken (house).
const (
	steamC = 100.0
	steamH = 500.0 // W/(m²·K): water condenses on cold fish
	setC   = 60.0
	meanC  = 30.0
)

// TwoThirds is how long a piece of a food takes in steam, from both sides, until it is cooked two thirds through: until
// a third of the way out from its middle the flesh sets. The thickness is in mm, above 0 and at most 200, the start in
// °C, below 60. It is one term of the Fourier series of a slab, [Incropera&DeWitt, table 5.1], and a forecast: the first
// piece corrects it.
//
//	ζ tan ζ = h·L/k,  θ = C·cos(ζ/3)·exp(−ζ²·Fo),  C = 4 sin ζ / (2ζ + sin 2ζ)
func TwoThirds(food heat.Food, thicknessMM, startC float64) (time.Duration, error) {
	p, err := food.At(meanC)
	if err != nil {
		return 0, fmt.Errorf("par-cooking: %w", err)
	}
	if !(thicknessMM > 0 && thicknessMM <= 200) || !(startC < setC) {
		return 0, errors.New("par-cooking: give a thickness up to 200 mm, and a start below 60 °C")
	}
	half := thicknessMM / 2000
	bi := steamH * half / p.ConductivityWMK
	lo, hi := 0.0, math.Pi/2
	for range 60 {
		if mid := (lo + hi) / 2; mid*math.Tan(mid) < bi {
			lo = mid
		} else {
			hi = mid
		}
	}
	z := (lo + hi) / 2
	c := 4 * math.Sin(z) / (2*z + math.Sin(2*z))
	fo := math.Log(c*math.Cos(z/3)*(steamC-startC)/(steamC-setC)) / (z * z)
	seconds := fo * half * half * p.DensityKgM3 * 1000 * p.SpecificHeat / p.ConductivityWMK
	return time.Duration(seconds * float64(time.Second)), nil
}

// Procedure is the written procedure for par-cooking that a manager signs, after [FoodCode, 3-401.14].
var Procedure = []string{
	"The first heating takes 60 minutes at most; its end and the core temperature are written down for each tray.",
	"It is cooled at once by the kitchen's cooling rule, in a single layer; the core temperature is measured at each step of it.",
	"It is kept cold, apart from ready-to-eat food, and labelled: cook through before serving.",
	"Before it is served it is cooked through; the core temperature of the thickest piece is measured.",
	"What cooled too slowly, or was kept beyond its date, is discarded.",
}
