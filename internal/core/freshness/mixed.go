package freshness

import (
	"fmt"
	"math"
	"strings"

	"leancatch/internal/core/species"
)

// Mixed is a sign that shows another age than all the others of its fish.
type Mixed struct {
	Fish     int         `json:"fish"` // from 0
	Sign     string      `json:"sign"`
	Name     string      `json:"name"`
	Lo       float64     `json:"lo_ice_days"`        // the ages that its level is compatible with
	Hi       float64     `json:"-"`                  // +Inf for a highest level
	OthersLo float64     `json:"others_lo_ice_days"` // the 90 % band of the other signs
	OthersHi float64     `json:"others_hi_ice_days"`
	Could    []MixedIdea `json:"could_be"`
}

// MixedIdea is what could explain a sign that does not fit.
type MixedIdea struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// Older reports whether the sign shows an older age than the others.
func (m Mixed) Older() bool { return m.Lo > m.OthersHi }

// Text says it in words.
func (m Mixed) Text() string {
	word := "fresher"
	if m.Older() {
		word = "older"
	}
	return fmt.Sprintf("%s reads %s than the other signs", m.Name, word)
}

// couldBe lists what could explain it, in words.
func (m Mixed) couldBe() string {
	var names []string
	for _, idea := range m.Could {
		names = append(names, strings.ToLower(idea.Name))
	}
	if len(names) == 0 {
		return ""
	}
	return " (could be: " + strings.Join(names, "; ") + ")"
}

// Mixed names the signs that disagree with the others of their fish. For a sign
// with levels 0 … m, level l is chosen, up to quantisation, while the expected
// share of the maximum s(d) along the calibration lies in
//
//	(l − ½)/m ≤ s(d) < (l + ½)/m,
//
// open below for level 0 and above for level m: an interval of ages, widened at
// each end by thresholdSpread, since people do not draw the thresholds alike.
// The sign is named where the interval misses the 90 % band of the age that all
// the others show. Signs that an explanation accounts for are left out. A
// scheme without a calibration names none.
func (s Scheme) Mixed(sp species.Species, fish []Fish) []Mixed {
	list := []Mixed{}
	if s.Calibration == nil {
		return list
	}
	for n, f := range fish {
		signs := f.read(s)
		for _, sign := range s.Signs {
			level, seen := signs[sign.ID]
			if !seen || len(signs) < 2 {
				continue
			}
			lo, hi := s.interval(sp.ShelfLife, sign, level)
			others := s.others(sp.ShelfLife, signs, sign.ID)
			band := z90 * others.SD
			m := Mixed{Fish: n, Sign: sign.ID, Name: sign.Name, Lo: math.Max(0, lo), Hi: hi,
				OthersLo: math.Max(0, others.Days-band), OthersHi: others.Days + band, Could: []MixedIdea{}}
			if (lo <= m.OthersHi || others.AtLeast) && hi >= others.Days-band {
				continue
			}
			for _, e := range ExplanationsFor(sign.ID, level, sp) {
				m.Could = append(m.Could, MixedIdea{e.ID, e.Name})
			}
			list = append(list, m)
		}
	}
	return list
}

// thresholdSpread is how far apart people draw the thresholds between levels,
// as a share of the shelf life's middle (house).
const thresholdSpread = 0.12

// interval is the ages in which the level of a sign is expected.
func (s Scheme) interval(shelf species.Range, sign Sign, level int) (lo, hi float64) {
	top := float64(len(sign.Levels) - 1)
	at := func(l float64) float64 { return s.daysAt(shelf, l/top*float64(s.Max())) }
	slack := thresholdSpread * shelf.Mid()
	lo, hi = math.Inf(-1), math.Inf(1)
	if level > 0 {
		lo = at(float64(level)-0.5) - slack
	}
	if level < len(sign.Levels)-1 {
		hi = at(float64(level)+0.5) + slack
	}
	return lo, hi
}

// others is the age that all signs but one show for one fish.
func (s Scheme) others(shelf species.Range, signs Signs, but string) Age {
	rest := Signs{}
	for id, level := range signs {
		if id != but {
			rest[id] = level
		}
	}
	index, seen := s.Index(rest)
	a := s.age(shelf, index, 1/seen)
	a.Days = s.daysAt(shelf, index) // a fish fresher than the line begins may lie below 0
	return *a
}
