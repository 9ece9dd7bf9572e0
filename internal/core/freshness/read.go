package freshness

import (
	"fmt"
	"math"
	"strings"

	"leancatch/internal/core/species"
)

// Age is an age in fresh days with its standard deviation.
type Age struct {
	Days    float64 `json:"days"`
	SD      float64 `json:"sd"`
	AtLeast bool    `json:"at_least,omitempty"` // the true age may lie anywhere above
}

// Lo and Hi bound the 95 % band; Lo is not below 0.
func (a Age) Lo() float64 { return math.Max(0, a.Days-a.Band()) }

// Hi is the upper end of the 95 % band.
func (a Age) Hi() float64 { return a.Days + a.Band() }

// Band is half the width of the 95 % band.
func (a Age) Band() float64 { return z95 * a.SD }

// Text writes the age with its band and the name of the unit.
func (a Age) Text(unit string) string {
	if a.AtLeast {
		return fmt.Sprintf("at least %.0f %s", a.Days, unit)
	}
	return fmt.Sprintf("%.1f ± %.1f %s", a.Days, a.Band(), unit)
}

// Two-sided points of the normal distribution.
const (
	z95 = 1.959964
	z90 = 1.644854
)

// Reading is what a scheme read from one or more fish of a lot.
type Reading struct {
	Index     float64       `json:"index"` // mean over the fish, 0 to IndexMax
	IndexMax  int           `json:"index_max"`
	Grade     string        `json:"grade"` // of the lot, by LotGrade
	Fish      int           `json:"fish"`
	SignsSeen int           `json:"signs_seen"`    // the fewest on any fish, explained ones among them
	Age       *Age          `json:"age,omitempty"` // nil where the signs tell no age
	Each      []FishReading `json:"each,omitempty"`
}

// FishReading is the index and the grade of one fish.
type FishReading struct {
	Index float64 `json:"index"`
	Grade string  `json:"grade"`
}

// Index adds up the demerits of one fish. Where signs are missing, the sum is
// scaled to the whole scheme: index = sum · max / max of the signs seen. It
// returns the index and the share of the maximum that was seen (0 and 0 for no
// signs), at most 1. The signs must pass CheckFish.
func (s Scheme) Index(signs Signs) (index, seen float64) {
	var sum, maxSeen int
	for id, level := range signs {
		sign, _ := s.Sign(id)
		sum += sign.score(level)
		maxSeen += sign.Max()
	}
	if maxSeen == 0 {
		return 0, 0
	}
	whole := float64(s.Max())
	return float64(sum) * whole / float64(maxSeen), math.Min(1, float64(maxSeen)/whole)
}

// Read reads the age of the fish back from their mean index, along the line
//
//	index(d) = i₀ + (share·max − i₀) · d / d_r,   d_r = day of rejection: the middle of the shelf life
//
// with the variance, for n fish of which a part mᵢ of the maximum was seen,
//
//	σ² = Σ σ_fish²/mᵢ / n² + σ_cal²
//
// in the unit of the shelf life's middle. At or above the rejection index the
// answer is "at least d_r". Signs that an explanation accounts for are read as
// it says. The shelf life is in days in melting ice. It returns ErrNoSigns, ErrUnknownSign, ErrLevel,
// ErrExplanation or ErrFinding.
func (s Scheme) Read(shelf species.Range, fish []Fish) (Reading, error) {
	r := Reading{IndexMax: s.Max(), Fish: len(fish), SignsSeen: math.MaxInt}
	var sum, spread float64
	var grades []string
	for _, f := range fish {
		if err := s.CheckFish(f); err != nil {
			return Reading{}, err
		}
		if len(f.Signs) == 0 {
			return Reading{}, ErrNoSigns
		}
		index, seen := s.Index(f.read(s))
		grade := s.gradeOf(f, index)
		if seen == 0 { // all explained: nothing is left that tells an age
			seen = 1 / float64(s.Max())
		}
		sum += index
		spread += 1 / seen
		r.SignsSeen = min(r.SignsSeen, len(f.Signs))
		r.Each = append(r.Each, FishReading{index, grade})
		grades = append(grades, grade)
	}
	if len(fish) == 0 {
		return Reading{}, ErrNoSigns
	}
	n := float64(len(fish))
	r.Index = sum / n
	r.Grade = s.LotGrade(grades)
	if len(fish) == 1 {
		r.Each = nil
	}
	if s.Calibration != nil {
		r.Age = s.age(shelf, r.Index, spread/(n*n))
	}
	return r, nil
}

// age reads an index back; spread is Σ 1/mᵢ / n².
func (s Scheme) age(shelf species.Range, index, spread float64) *Age {
	mid, cal := shelf.Mid(), s.Calibration
	a := Age{SD: mid * math.Sqrt(cal.SigmaFish*cal.SigmaFish*spread+cal.SigmaCalibration*cal.SigmaCalibration)}
	a.Days = math.Max(0, s.daysAt(shelf, index))
	if index >= s.Rejection() {
		a.Days, a.AtLeast = s.RejectionDay(shelf), true
	}
	return &a
}

// daysAt is the day at which the line reaches an index; it may be negative.
func (s Scheme) daysAt(shelf species.Range, index float64) float64 {
	return (index - s.Calibration.IndexAtDeath) * s.RejectionDay(shelf) / (s.Rejection() - s.Calibration.IndexAtDeath)
}

// gradeOf names the grade of one fish. Where a sign refuses it, that is the
// grade that refuses, whatever the index.
func (s Scheme) gradeOf(f Fish, index float64) string {
	if worst := s.worst(); worst != "" {
		for _, e := range s.effects(f) {
			if e.Decision == Refuse {
				return worst
			}
		}
	}
	return s.Grade(index)
}

// redFlags names the red flags that the fish shows, and says whether all of them are explained.
func (s Scheme) redFlags(f Fish) (flags []string, explained bool) {
	by := f.explained(s)
	explained = true
	for _, sign := range s.Signs {
		level, seen := f.Signs[sign.ID]
		if !seen || !sign.Levels[level].Red {
			continue
		}
		if e, ok := by[sign.ID]; ok && e.Reads == ReadsFresh {
			continue // it is no flag at all
		} else if !ok {
			explained = false
		}
		flags = append(flags, fmt.Sprintf("%s: %s", sign.Name, strings.ToLower(sign.Levels[level].Name)))
	}
	for _, id := range f.Findings {
		if found, ok := getFinding(id); ok && found.Red {
			flags, explained = append(flags, strings.ToLower(found.Name)), false
		}
	}
	return flags, explained
}

// effects lists what the levels of a fish do to the verdict, in the order of
// the signs, those left out that an explanation accounts for, and what the
// findings and the explanations themselves do.
func (s Scheme) effects(f Fish) []Effect {
	var list []Effect
	explained := f.explained(s)
	for _, sign := range s.Signs {
		level, seen := f.Signs[sign.ID]
		if !seen {
			continue
		}
		if _, ok := explained[sign.ID]; ok {
			continue
		}
		if e := sign.Levels[level].Effect; e != nil {
			list = append(list, *e)
		}
	}
	for _, id := range f.Findings {
		if found, ok := getFinding(id); ok {
			list = append(list, found.Effect)
		}
	}
	for _, id := range f.Explanations {
		if e, ok := GetExplanation(id); ok && e.Note != "" {
			decision := e.Decision
			if decision == "" {
				decision = Accept
			}
			list = append(list, Effect{Decision: decision, Note: e.Note})
		}
	}
	return list
}
