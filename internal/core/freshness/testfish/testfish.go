// Package testfish makes fish of known age: what a scheme would see on them.
// Tests check the reading against it, the demo is drawn from it.
package testfish

import (
	"math"
	"math/rand/v2"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/species"
)

// Jitter is the standard deviation with which signs of one fish run ahead of or
// behind each other, as a share of the middle of the shelf life (house).
const Jitter = 0.15

// At is the fish of an age, in fresh days, whose signs all keep to the
// calibration: level l of a sign with levels 0 … m from the day on which the
// expected share of the maximum reaches (l − ½)/m. The scheme must have a
// calibration.
func At(s freshness.Scheme, shelf species.Range, form string, age float64) freshness.Fish {
	fish := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range s.SignsOn(form) {
		fish.Signs[sign.ID] = Level(s, shelf, sign, age)
	}
	return fish
}

// Draw is a fish of an age whose signs scatter as the calibration says: the
// fish as a whole by Ageing, and each sign by Jitter.
func Draw(s freshness.Scheme, shelf species.Range, form string, age float64, rnd *rand.Rand) freshness.Fish {
	return Around(s, shelf, form, Ageing(s, shelf, form, age, rnd), rnd)
}

// Ageing is the age that a fish of a given age looks like as a whole. Its
// scatter is what is left of σ_fish after Jitter and the quantisation of the
// levels.
func Ageing(s freshness.Scheme, shelf species.Range, form string, age float64, rnd *rand.Rand) float64 {
	var top, squares, levels float64
	for _, sign := range s.SignsOn(form) {
		m := float64(sign.Max())
		top += m
		squares += m * m
		levels++
	}
	scale := float64(s.Max()) / top
	slope := s.Rejection() - s.Calibration.IndexAtDeath // index per middle of the shelf life
	variance := s.Calibration.SigmaFish*s.Calibration.SigmaFish*scale - Jitter*Jitter*squares/(top*top)
	variance -= levels / 12 * scale * scale / (slope * slope)
	return age + math.Sqrt(math.Max(0, variance))*shelf.Mid()*rnd.NormFloat64()
}

// Around is a fish whose signs run ahead of or behind an age by Jitter.
func Around(s freshness.Scheme, shelf species.Range, form string, age float64, rnd *rand.Rand) freshness.Fish {
	fish := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range s.SignsOn(form) {
		fish.Signs[sign.ID] = Level(s, shelf, sign, age+Jitter*shelf.Mid()*rnd.NormFloat64())
	}
	return fish
}

// Level is the level of a sign that the calibration expects at an age.
func Level(s freshness.Scheme, shelf species.Range, sign freshness.Sign, age float64) int {
	c := s.Calibration
	share := (c.IndexAtDeath + (s.Rejection()-c.IndexAtDeath)*age/s.RejectionDay(shelf)) / float64(s.Max())
	top := len(sign.Levels) - 1
	return min(max(int(math.Floor(share*float64(top)+0.5)), 0), top)
}

// Even is the fish of an age whose index is the whole number nearest to the
// calibration's, spread over the signs as evenly as it goes: what people find
// more often than signs that all turn at once.
func Even(s freshness.Scheme, shelf species.Range, form string, age float64) freshness.Fish {
	signs := s.SignsOn(form)
	c := s.Calibration
	top := 0
	for _, sign := range signs {
		top += sign.Max()
	}
	share := (c.IndexAtDeath + (s.Rejection()-c.IndexAtDeath)*age/s.RejectionDay(shelf)) / float64(s.Max())
	left := min(max(int(math.Round(share*float64(top))), 0), top)
	fish := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range signs {
		fish.Signs[sign.ID] = 0
	}
	for left > 0 {
		worst := signs[0]
		for _, sign := range signs { // the one that lags most behind
			if lag(fish, sign, share) > lag(fish, worst, share) {
				worst = sign
			}
		}
		fish.Signs[worst.ID]++
		left -= worst.Max() / (len(worst.Levels) - 1)
	}
	return fish
}

// lag is how far a sign stands behind a share of its levels; a full one never lags.
func lag(fish freshness.Fish, sign freshness.Sign, share float64) float64 {
	top := len(sign.Levels) - 1
	if fish.Signs[sign.ID] == top {
		return math.Inf(-1)
	}
	return share - float64(fish.Signs[sign.ID])/float64(top) + float64(top)/100
}
