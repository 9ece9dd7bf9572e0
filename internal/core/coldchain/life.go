package coldchain

import "math"

// DaysAt returns how many days a product that keeps iceDays in melting ice
// keeps at c °C: iceDays / r(c). It returns ErrNoRule above 25 °C.
func (m Model) DaysAt(iceDays, c float64) (float64, error) {
	r, err := m.Rate(c)
	if err != nil {
		return math.NaN(), err
	}
	return iceDays / r, nil
}
