// Package frozen is the clock of frozen fish: practical storage life by
// temperature and fat, and how much of it a history has used up.
package frozen

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/refs"
)

// Fat is how fat the fish is, as far as its frozen life depends on it.
type Fat string

// The classes.
const (
	Lean  Fat = "lean"
	Fatty Fat = "fatty"
)

// FatClasses lists them.
var FatClasses = []Fat{Lean, Fatty}

// FatClass returns the class of a species' fat: what is neither lean nor fatty
// counts as fatty, which keeps shorter.
func FatClass(fat string) Fat {
	if fat == string(Lean) {
		return Lean
	}
	return Fatty
}

// Source names the table.
const Source refs.Cited = "[IIR]"

// Month is the length of a month here.
const Month = time.Duration(365.25 / 12 * 24 * float64(time.Hour))

// WarmestC is the warmest temperature for which a life is known, °C: fish that
// was warmer is held.
const WarmestC = -12.0

// table is the practical storage life, months [IIR]: of fatty fish
// glazed; where > 12 and > 24 are printed, 12 and 24 are taken.
var table = []struct{ celsius, fatty, lean float64 }{
	{-12, 3, 4}, {-18, 5, 9}, {-24, 9, 12}, {-30, 12, 24},
}

// ErrWarm says that a temperature is above WarmestC: no life is known.
var ErrWarm = errors.New("above −12 °C no frozen life is known: hold it")

// Life is the practical storage life at a steady temperature, months: the
// logarithm runs straight between the points of the table; colder than −30 °C
// that at −30 is taken, warmer than WarmestC is ErrWarm.
func Life(fat Fat, celsius float64) (float64, error) {
	if !(celsius <= WarmestC) {
		return 0, fmt.Errorf("%.1f °C: %w", celsius, ErrWarm)
	}
	last := len(table) - 1
	if celsius <= table[last].celsius {
		return fat.of(last), nil
	}
	i := 1
	for celsius < table[i].celsius {
		i++
	}
	share := (table[i-1].celsius - celsius) / (table[i-1].celsius - table[i].celsius)
	return math.Exp((1-share)*math.Log(fat.of(i-1)) + share*math.Log(fat.of(i))), nil
}

func (f Fat) of(i int) float64 {
	if f == Lean {
		return table[i].lean
	}
	return table[i].fatty
}

// Use is how much of a frozen life a history has used up.
type Use struct {
	Share float64       // of the life: ∫ dt / Life(T)
	Mean  float64       // °C; NaN where nothing is known
	Known time.Duration // time with a temperature
	Warm  time.Duration // of that above WarmestC: counted as at WarmestC, and held
}

// Add joins two histories.
func (u Use) Add(v Use) Use {
	switch {
	case u.Known == 0:
		return v
	case v.Known == 0:
		return u
	}
	whole := u.Known + v.Known
	mean := (u.Mean*u.Known.Hours() + v.Mean*v.Known.Hours()) / whole.Hours()
	return Use{u.Share + v.Share, mean, whole, u.Warm + v.Warm}
}

// Holds reports whether the fish was warmer than a life is known for.
func (u Use) Holds() bool { return u.Warm > 0 }

// LeftAt is the life left, months, at a temperature from now on; 0 where none
// is left, ErrWarm where none is known.
func (u Use) LeftAt(fat Fat, celsius float64) (float64, error) {
	life, err := Life(fat, celsius)
	return math.Max(0, 1-u.Share) * life, err
}

// Ramp is the use of a temperature that runs evenly from a to b °C, exact: the
// rate is an exponential of the temperature between the points of the table.
func Ramp(fat Fat, a, b float64, d time.Duration) Use {
	if d <= 0 {
		return Use{Mean: math.NaN()}
	}
	u := Use{Mean: (a + b) / 2, Known: d}
	cuts := []float64{0, 1}
	for _, p := range table {
		if (a < p.celsius) != (b < p.celsius) {
			cuts = append(cuts, (p.celsius-a)/(b-a))
		}
	}
	slices.Sort(cuts)
	for i := 1; i < len(cuts); i++ {
		share := cuts[i] - cuts[i-1]
		if share <= 0 {
			continue
		}
		from, to := a+(b-a)*cuts[i-1], a+(b-a)*cuts[i]
		part := time.Duration(share * float64(d))
		if (from+to)/2 > WarmestC {
			u.Warm += part
		}
		r, s := rate(fat, from), rate(fat, to)
		mean := (r + s) / 2
		if math.Abs(s/r-1) > 1e-9 {
			mean = (s - r) / math.Log(s/r) // of an exponential between its ends
		}
		u.Share += mean * float64(part) / float64(Month)
	}
	return u
}

// rate is the share of a life that a month at a temperature uses up; above
// WarmestC as there.
func rate(fat Fat, celsius float64) float64 {
	life, _ := Life(fat, math.Min(celsius, WarmestC))
	return 1 / life
}

// Over is the use of readings in the order of time, straight between two that
// lie no further apart than maxGap; the rest is not known.
func Over(fat Fat, readings []coldchain.Reading, maxGap time.Duration) Use {
	u := Use{Mean: math.NaN()}
	for i := 1; i < len(readings); i++ {
		a, b := readings[i-1], readings[i]
		if d := b.At.Sub(a.At); d > 0 && d <= maxGap {
			u = u.Add(Ramp(fat, a.Celsius, b.Celsius, d))
		}
	}
	return u
}
