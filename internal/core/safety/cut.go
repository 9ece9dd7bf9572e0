package safety

import "leancatch/internal/core/coldchain"

// cutBands are how long cut fish may be in each band of temperatures until it is not served raw any
// more, for Listeria [FDA-hazards, appendix 4].
var cutBands = []band{{5, 24}, {10, 7}, {21, 3}, {30, 1}}

// cutColdHours are those at 5 °C and below.
const cutColdHours = 7 * 24.0

// CutShare is the part that is used of what cut fish may grow, the bands' shares added up: 7 days up
// to 5 °C, a day to 10 °C, 7 h to 21 °C, 3 h to 30 °C, 1 h above.
func CutShare(e coldchain.Exposure) float64 {
	cold := e.Covered.Hours() - e.HoursAbove(cutBands[0].above)
	return cold/cutColdHours + shares(cutBands, e)
}

// band is a range of temperatures above one of coldchain.Limits, up to the next band, and the hours
// allowed in it.
type band struct{ above, hours float64 }

// in are the hours of an exposure in one of the bands.
func in(bands []band, i int, e coldchain.Exposure) float64 {
	hours := e.HoursAbove(bands[i].above)
	if i+1 < len(bands) {
		hours -= e.HoursAbove(bands[i+1].above)
	}
	return max(0, hours)
}

// shares are the hours in each band against those allowed in it, added up.
func shares(bands []band, e coldchain.Exposure) float64 {
	sum := 0.0
	for i, b := range bands {
		sum += in(bands, i, e) / b.hours
	}
	return sum
}
