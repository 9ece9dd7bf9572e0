// Package unit holds the quantities that people type and read: temperatures
// and weights. The application computes and stores in SI (°C and kg); a
// person may type and read °F and lb. Parsing takes a decimal point or comma.
//
//	c, err := unit.ParseCelsius("34,2 F", unit.CelsiusScale) // 1.22 °C: a unit typed wins over the scale
package unit

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// TempScale is the scale in which a person types and reads temperatures.
type TempScale string

// MassScale is the scale in which a person types and reads weights.
type MassScale string

// The scales offered.
const (
	CelsiusScale    TempScale = "C"
	FahrenheitScale TempScale = "F"
	KilogramScale   MassScale = "kg"
	PoundScale      MassScale = "lb"
)

// KilogramsPerPound is exact by definition: the international avoirdupois
// pound [NIST44, appendix C].
const KilogramsPerPound = 0.45359237

// A temperature outside MinCelsius…MaxCelsius is a slip of the hand or a
// broken probe, never fish (house).
const (
	MinCelsius = -60.0
	MaxCelsius = 60.0
)

// MaxCookedCelsius bounds the core of fish that was cooked (house).
const MaxCookedCelsius = 110.0

// MaxLotKilograms bounds the weight of one lot (house).
const MaxLotKilograms = 20000.0

// Errors that parsing returns; their texts are meant to be shown beside a field.
var (
	ErrNotNumber   = errors.New("is not a number")
	ErrTempRange   = errors.New("must lie between −60 and 60 °C")
	ErrCookedRange = errors.New("must lie between −60 and 110 °C")
	ErrMassRange   = errors.New("must be above 0 and at most 20 000 kg")
)

// ParseNumber reads a decimal number with a point or a comma, and with any minus
// sign and space that typeset text has: all that Number writes. It refuses NaN,
// infinities and thousands separators: "1,234.5" is ambiguous.
func ParseNumber(s string) (float64, error) {
	s = strings.TrimSpace(s)
	if strings.IndexFunc(s, func(r rune) bool { return r > 127 }) >= 0 {
		s = strings.TrimSpace(typeset.Replace(s))
	}
	points := 0
	for i := range len(s) {
		switch c := s[i]; {
		case c == '.' || c == ',':
			points++
		case c >= '0' && c <= '9' || c == '-' || c == '+' || c == 'e' || c == 'E':
		default:
			return 0, ErrNotNumber
		}
	}
	if points > 1 {
		return 0, ErrNotNumber
	}
	v, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
	if err != nil || math.IsInf(v, 0) {
		return 0, ErrNotNumber
	}
	return v, nil
}

// typeset turns the minus signs and spaces of typeset text into plain ones.
var typeset = strings.NewReplacer("−", "-", "–", "-", "‒", "-", "\u00a0", "", "\u2009", "", "\u202f", "")

// ParseQuantity reads a number with or without a unit behind it, as "24.5 kg",
// "34F", "12 %" or "−2", and returns the unit as it was typed, without the degree
// sign; "" for none. It returns ErrNotNumber where no number comes first.
func ParseQuantity(s string) (value float64, unit string, err error) {
	end := strings.LastIndexAny(s, "0123456789.,") + 1
	value, err = ParseNumber(s[:end])
	return value, strings.TrimLeft(typeset.Replace(s[end:]), " °"), err
}

// ParseCelsius reads a temperature typed in the given scale and returns °C. A
// unit in the text ("34 F", "1,2°C") wins over the scale. It returns
// ErrNotNumber or ErrTempRange.
func ParseCelsius(s string, scale TempScale) (float64, error) {
	v, err := ParseTemperature(s, scale)
	if err != nil {
		return 0, err
	}
	return v, CheckCelsius(v)
}

// ParseCookedCelsius is ParseCelsius for the core of fish that may be cooked.
// It returns ErrNotNumber or ErrCookedRange.
func ParseCookedCelsius(s string, scale TempScale) (float64, error) {
	v, err := ParseTemperature(s, scale)
	if err != nil {
		return 0, err
	}
	return v, CheckCookedCelsius(v)
}

// ParseTemperature is ParseCelsius for what may be of any size, as boiling water is.
// It returns ErrNotNumber.
func ParseTemperature(s string, scale TempScale) (float64, error) {
	v, typed, err := ParseQuantity(strings.TrimSpace(s))
	if err != nil {
		return 0, err
	}
	switch strings.ToUpper(typed) {
	case "":
	case string(CelsiusScale):
		scale = CelsiusScale
	case string(FahrenheitScale):
		scale = FahrenheitScale
	default:
		return 0, ErrNotNumber
	}
	if scale == FahrenheitScale {
		v = FahrenheitToCelsius(v)
	}
	return v, nil
}

// CheckCookedCelsius returns ErrCookedRange for a temperature that no core has,
// cooked or raw: outside −60…110 °C.
func CheckCookedCelsius(c float64) error {
	if !(c >= MinCelsius && c <= MaxCookedCelsius) {
		return ErrCookedRange
	}
	return nil
}

// CheckCelsius returns ErrTempRange for a temperature outside −60…60 °C.
func CheckCelsius(c float64) error {
	if !(c >= MinCelsius && c <= MaxCelsius) {
		return ErrTempRange
	}
	return nil
}

// ParseKilograms reads a weight typed in the given scale and returns kg. A unit in
// the text ("24,5 kg", "800 g", "3 lb") wins over the scale. It returns ErrNotNumber
// or ErrMassRange.
func ParseKilograms(s string, scale MassScale) (float64, error) {
	v, typed, err := ParseQuantity(strings.TrimSpace(s))
	if err != nil {
		return 0, err
	}
	perUnit := 1.0
	if scale == PoundScale {
		perUnit = KilogramsPerPound
	}
	switch strings.ToLower(typed) {
	case "":
	case "kg":
		perUnit = 1
	case "g":
		perUnit = 0.001
	case "lb", "lbs":
		perUnit = KilogramsPerPound
	default:
		return 0, ErrNotNumber
	}
	if v *= perUnit; !(v > 0 && v <= MaxLotKilograms) {
		return 0, ErrMassRange
	}
	return v, nil
}

// FahrenheitToCelsius converts a temperature.
func FahrenheitToCelsius(f float64) float64 { return (f - 32) / 1.8 }

// CelsiusToFahrenheit converts a temperature.
func CelsiusToFahrenheit(c float64) float64 { return c*1.8 + 32 }

// FormatTemp writes a temperature of c °C in the scale, one decimal, with its unit.
func FormatTemp(c float64, scale TempScale) string {
	if scale == FahrenheitScale {
		c = CelsiusToFahrenheit(c)
	} else {
		scale = CelsiusScale
	}
	return fmt.Sprintf("%s °%s", Number(c, 1), scale)
}

// FormatMass writes a weight of kg kilograms in the scale, with its unit: two
// decimals under 10, one above.
func FormatMass(kg float64, scale MassScale) string {
	if scale == PoundScale {
		kg /= KilogramsPerPound
	} else {
		scale = KilogramScale
	}
	decimals := 1
	if math.Abs(kg) < 10 {
		decimals = 2
	}
	return Number(kg, decimals) + " " + string(scale)
}

// Signed is Number with its sign, whichever it is.
func Signed(v float64, decimals int) string {
	s := Number(v, decimals)
	if strings.HasPrefix(s, "−") {
		return s
	}
	return "+" + s
}

// Number writes a number for people: with a true minus sign, and without a
// negative zero.
func Number(v float64, decimals int) string {
	s := strconv.FormatFloat(v, 'f', decimals, 64)
	if strings.HasPrefix(s, "-") {
		if strings.Trim(s, "-0.") == "" {
			return s[1:]
		}
		return "−" + s[1:]
	}
	return s
}
