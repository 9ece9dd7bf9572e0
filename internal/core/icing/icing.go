// Package icing says how much ice a catch needs: to cool it, to hold it for a
// trip in its box, when the ice runs out and when to top it up; and how fast
// each way of icing cools the core.
package icing

import (
	"cmp"
	"errors"
	"math"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/species"
)

// FusionKJ is the heat that ice takes up as it melts, kJ/kg [FAO348, chapter 7].
const FusionKJ = 334.0

// Box is a box or tote with walls that keep heat out.
type Box struct {
	LengthMM, WidthMM, HeightMM float64 // inside, mm
	WallMM                      float64 // thickness of the wall, mm
	WallWMK                     float64 // conductivity of the wall, W/(m·K)
	AirH                        float64 // surface coefficient of the air around it, W/(m²·K); 0 for StillH
}

// Surface coefficients of the air around a box and of the wet ice in it, W/(m²·K) (house, from the
// usual textbook ranges).
const (
	StillH  = 8.0
	WindyH  = 15.0 // on a deck
	insideH = 100.0
)

// Bounds of a box.
const (
	LeastSideMM, MostSideMM = 50.0, 5000.0
	LeastWallMM, MostWallMM = 1.0, 500.0
	LeastWall, MostWall     = 0.01, 60.0 // W/(m·K): foam to steel
	MostAirH                = 100.0      // W/(m²·K)
)

// Errors of a box.
var (
	ErrSides = errors.New("the sides inside must be between 50 and 5000 mm")
	ErrWall  = errors.New("the wall must be between 1 and 500 mm thick")
	ErrAir   = errors.New("the air outside must take up at most 100 W/(m²·K): still air 8, a windy deck 15")
	ErrFoam  = errors.New("the wall must conduct between 0.01 and 60 W/(m·K): foam has 0.035, wood 0.15, plastic 0.4")
)

// Check returns what is wrong with the box, nil where nothing is.
func (b Box) Check() error {
	for _, side := range []float64{b.LengthMM, b.WidthMM, b.HeightMM} {
		if !(side >= LeastSideMM && side <= MostSideMM) {
			return ErrSides
		}
	}
	if !(b.WallMM >= LeastWallMM && b.WallMM <= MostWallMM) {
		return ErrWall
	}
	if !(b.WallWMK >= LeastWall && b.WallWMK <= MostWall) {
		return ErrFoam
	}
	if !(b.AirH >= 0 && b.AirH <= MostAirH) {
		return ErrAir
	}
	return nil
}

// OutsideH is the surface coefficient of the air around the box, W/(m²·K).
func (b Box) OutsideH() float64 { return cmp.Or(b.AirH, StillH) }

// AreaM2 is the area of the six walls, m²: the mean of inside and outside.
func (b Box) AreaM2() float64 {
	area := func(wall float64) float64 {
		l, w, h := b.LengthMM+2*wall, b.WidthMM+2*wall, b.HeightMM+2*wall
		return 2 * (l*w + l*h + w*h) / 1e6
	}
	return (area(0) + area(b.WallMM)) / 2
}

// Litres is what the box holds.
func (b Box) Litres() float64 { return b.LengthMM * b.WidthMM * b.HeightMM / 1e6 }

// UA is the heat that the box lets in, W/K, through the air outside, the wall and the wet ice inside
// [Incropera&DeWitt, section 3.1]:
//
//	UA = A / (1/h_out + d/k + 1/h_in)
func (b Box) UA() float64 {
	return b.AreaM2() / (1/b.OutsideH() + b.WallMM/1000/b.WallWMK + 1/insideH)
}

// MeltPerHour is the ice that melts in the box against the air outside, kg/h:
// UA·(T_out − 0)/L; none in air below 0 °C.
func (b Box) MeltPerHour(outsideC float64) float64 {
	return b.UA() * math.Max(0, outsideC) * 3600 / (FusionKJ * 1000)
}

// ToHold is the ice that keeps the box at 0 °C for some hours, kg.
func (b Box) ToHold(outsideC, hours float64) float64 { return b.MeltPerHour(outsideC) * hours }

// ToCool is the ice that brings fish of a species from a temperature to 0 °C,
// kg:
//
//	m_ice = m_fish·(H(T) − H(0))/L
//
// with the enthalpy from the composition, which above 0 °C is cp·T; none for
// fish that is no warmer. The error says that T lies outside −60 to 60 °C.
func ToCool(s species.Species, fishKg, celsius float64) (float64, error) {
	food := heat.Of(s)
	warm, err := food.At(celsius)
	if err != nil {
		return 0, err
	}
	cold, err := food.At(0)
	if err != nil {
		return 0, err
	}
	return fishKg * math.Max(0, warm.EnthalpyKJ-cold.EnthalpyKJ) / FusionKJ, nil
}

// Bulk densities, kg per litre of a box: fish with the gaps between, and flake
// or crushed ice (house, within the usual textbook ranges).
const (
	fishPerLitre = 0.9
	icePerLitre  = 0.5
)

// FillLitres is the room that fish and ice take, litres.
func FillLitres(fishKg, iceKg float64) float64 { return fishKg/fishPerLitre + iceKg/icePerLitre }

// Method is a way of icing.
type Method struct {
	ID      string
	Name    string
	MediumC float64 // around the fish, °C
	H       float64 // surface coefficient, W/(m²·K)
	OneFace bool    // the fish is cooled from one side only
	Iced    bool    // the fish lies in ice or ice water
	Note    string
}

// Methods lists them, in the order in which they are offered. Coefficients are
// house values from the usual textbook ranges.
var Methods = []Method{
	{ID: "boxed", Name: "Boxed in ice", H: 100, Iced: true,
		Note: "flake or crushed ice all around, drained; never big lumps on delicate flesh"},
	{ID: "slurry", Name: "Slurry", H: 300, Iced: true,
		Note: "ice and water: fastest, soft on the flesh, but soaks it if it stays long"},
	{ID: "racked", Name: "Racked over ice", MediumC: 1, H: 9,
		Note: "dry, in the still air over ice: for fish that is cold already"},
	{ID: "gel", Name: "Gel packs", H: 50, OneFace: true,
		Note: "laid on one side: holds cold fish cold, cools warm fish slowly"},
}

// GetMethod returns the way with the id.
func GetMethod(id string) (Method, bool) {
	for _, w := range Methods {
		if w.ID == id {
			return w, true
		}
	}
	return Method{}, false
}
