package unit

import (
	"errors"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// ErrPieces says that a text is no count.
var ErrPieces = errors.New("give a whole number, or how many a kilo or pound, like 31/40 per lb")

// perWeight is a count for a weight: one number or a range, and the unit.
var perWeight = regexp.MustCompile(`^(\d+)(?:\s*[/–-]\s*(\d+))?\s*(?:per|a|/)?\s*(kg|kilo|lb|pound)s?$`)

// ParsePieces reads how many pieces weigh so many kilograms, as people write it: "24", or for a weight,
// "30/kg", "31/40 per lb". A range counts as its middle; the number is rounded, at least 1. The error is
// ErrPieces.
func ParsePieces(text string, kg float64) (int, error) {
	text = strings.ToLower(strings.TrimSpace(text))
	if n, err := ParseNumber(text); err == nil {
		if n != math.Trunc(n) || math.Abs(n) > math.MaxInt32 {
			return 0, ErrPieces
		}
		return int(n), nil
	}
	m := perWeight.FindStringSubmatch(text)
	if m == nil || !(kg > 0) {
		return 0, ErrPieces
	}
	lo, err := strconv.ParseFloat(m[1], 64)
	hi := lo
	if err == nil && m[2] != "" {
		hi, err = strconv.ParseFloat(m[2], 64)
	}
	perKg := (lo + hi) / 2
	if strings.HasPrefix(m[3], "lb") || strings.HasPrefix(m[3], "pound") {
		perKg /= KilogramsPerPound
	}
	if n := math.Round(perKg * kg); err == nil && hi >= lo && lo > 0 && n < math.MaxInt32 {
		return max(1, int(n)), nil
	}
	return 0, ErrPieces
}
