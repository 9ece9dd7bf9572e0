package ageing

import (
	"fmt"
	"time"
)

// Excursion is a stretch in which a cabinet was beyond a limit for too long.
type Excursion struct {
	From, To time.Time
	Worst    float64 // °C, or a share of humidity
	Wet      bool    // it was moist; else it was warm
}

// Text is the excursion in words.
func (e Excursion) Text() string {
	if e.Wet {
		return fmt.Sprintf("air over %.0f %% for %.1f h, up to %.0f %%", 100*WetRH, e.To.Sub(e.From).Hours(),
			100*e.Worst)
	}
	return fmt.Sprintf("cabinet above %.0f °C for %.1f h, up to %.1f °C", WarmC, e.To.Sub(e.From).Hours(), e.Worst)
}

// Reading is a value of a sensor: °C, or a share of humidity.
type Reading struct {
	At    time.Time
	Value float64
}

// mostApart is how far readings may lie apart to be one stretch.
const mostApart = time.Hour

// Excursions finds the stretches in which readings in the order of time stay above
// a limit for longer than StopHours: from the first reading above it to the
// first that is not, or the last one. wet marks readings of humidity.
func Excursions(readings []Reading, wet bool) []Excursion {
	limit := WarmC
	if wet {
		limit = WetRH
	}
	var list []Excursion
	var open *Excursion
	end := func(at time.Time) {
		if open != nil {
			open.To = at
			if open.To.Sub(open.From).Hours() > StopHours {
				list = append(list, *open)
			}
		}
		open = nil
	}
	for i, r := range readings {
		if i > 0 && r.At.Sub(readings[i-1].At) > mostApart {
			end(readings[i-1].At)
		}
		switch {
		case r.Value <= limit:
			end(r.At)
		case open == nil:
			open = &Excursion{From: r.At, Worst: r.Value, Wet: wet}
		default:
			open.Worst = max(open.Worst, r.Value)
		}
	}
	if n := len(readings); n > 0 {
		end(readings[n-1].At)
	}
	return list
}
