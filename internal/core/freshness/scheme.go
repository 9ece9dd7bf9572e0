// Package freshness judges a fish by what can be seen, smelt and pressed: it
// adds signs up to an index, reads the index backwards to an age in ice days,
// holds that age against the one the papers claim, and proposes a verdict.
//
// A scheme is data (schemes/*.json): signs, levels, the calibration line. The
// machinery knows no fish.
package freshness

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"

	"leancatch/internal/core/species"
)

// Scheme is a way to grade fish by signs.
type Scheme struct {
	ID          string         `json:"id"`
	Version     int            `json:"version"`
	Name        string         `json:"name"`
	Source      string         `json:"source"`
	Bodies      []species.Body `json:"bodies"`
	Forms       []string       `json:"forms"`
	Signs       []Sign         `json:"signs"`
	Grades      []Grade        `json:"grades"`
	GradesFrom  string         `json:"grades_origin"`
	Calibration Calibration    `json:"calibration"`
}

// Grade names the indices below a bound; the first that fits counts.
type Grade struct {
	Below float64 `json:"below"`
	Name  string  `json:"name"`
}

// Sign is one thing to look at; its levels score 0, 1, 2 … demerits.
type Sign struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Zone   string   `json:"zone"` // where on the drawn fish
	Ask    string   `json:"ask"`
	GoneIn []string `json:"gone_in,omitempty"` // forms in which it cannot be seen
	Levels []Level  `json:"levels"`
}

// Max is the highest score of the sign.
func (s Sign) Max() int { return len(s.Levels) - 1 }

// Level is one answer.
type Level struct {
	Name    string `json:"name"`
	Detail  string `json:"detail"`
	Stop    string `json:"stop,omitempty"`    // refuses the fish whatever the score
	Second  string `json:"second,omitempty"`  // wants a second person
	Caution string `json:"caution,omitempty"` // to be shown with the verdict
}

// Calibration is the straight line of the index against ice days, as shares of
// the index's maximum and of the middle of the species' shelf life.
type Calibration struct {
	IndexAtDeath     float64 `json:"index_at_death"`
	RejectionShare   float64 `json:"rejection_share"`   // of the maximum, reached at the middle of the shelf life
	SigmaFish        float64 `json:"sigma_fish"`        // sd between fish, share of the middle of the shelf life
	SigmaCalibration float64 `json:"sigma_calibration"` // sd of the line itself; it does not shrink with the number of fish
	Origin           string  `json:"origin"`
}

// Signs are the levels chosen for one fish, by sign. A sign that could not be
// seen is absent.
type Signs map[string]int

// Errors of the package.
var (
	ErrUnknownSign = errors.New("is not a sign of this scheme")
	ErrLevel       = errors.New("is not a level of this sign")
	ErrNoSigns     = errors.New("no sign was given")
)

// Max is the highest index: the sum of the signs' highest levels.
func (s Scheme) Max() int {
	var sum int
	for _, sign := range s.Signs {
		sum += sign.Max()
	}
	return sum
}

// Sign returns the sign with the id.
func (s Scheme) Sign(id string) (Sign, bool) {
	i := slices.IndexFunc(s.Signs, func(x Sign) bool { return x.ID == id })
	if i < 0 {
		return Sign{}, false
	}
	return s.Signs[i], true
}

// Fits reports whether the scheme was made for the body type and form.
func (s Scheme) Fits(body species.Body, form string) bool {
	return slices.Contains(s.Bodies, body) && slices.Contains(s.Forms, form)
}

// SignsOn returns the signs that can be seen on a fish of the form.
func (s Scheme) SignsOn(form string) []Sign {
	var seen []Sign
	for _, sign := range s.Signs {
		if !slices.Contains(sign.GoneIn, form) {
			seen = append(seen, sign)
		}
	}
	return seen
}

// Check returns an error that names the first sign of the fish, in
// alphabetical order, that the scheme does not know or whose level is out of
// its range.
func (s Scheme) Check(fish Signs) error {
	ids := make([]string, 0, len(fish))
	for id := range fish {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		sign, ok := s.Sign(id)
		if !ok {
			return fmt.Errorf("%q %w", id, ErrUnknownSign)
		}
		if fish[id] < 0 || fish[id] > sign.Max() {
			return fmt.Errorf("%s: %d %w (0 to %d)", id, fish[id], ErrLevel, sign.Max())
		}
	}
	return nil
}

// Index adds up the demerits of one fish. Where signs are missing, the sum is
// scaled to the whole scheme: index = sum · max / max of the signs seen. It
// returns the index and the share of the maximum that was seen (0 and 0 for no
// signs). The fish must pass Check.
func (s Scheme) Index(fish Signs) (index, seen float64) {
	var sum, maxSeen int
	for id, level := range fish {
		sign, _ := s.Sign(id)
		sum += level
		maxSeen += sign.Max()
	}
	if maxSeen == 0 {
		return 0, 0
	}
	whole := float64(s.Max())
	return float64(sum) * whole / float64(maxSeen), float64(maxSeen) / whole
}

// Grade names an index, "" where no grade fits.
func (s Scheme) Grade(index float64) string {
	for _, g := range s.Grades {
		if index < g.Below {
			return g.Name
		}
	}
	return ""
}

// Rejection is the index at and above which a fish is past its life.
func (s Scheme) Rejection() float64 { return s.Calibration.RejectionShare * float64(s.Max()) }

// Age is an age in ice days with its standard deviation.
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

// z95 is the two-sided 95 % point of the normal distribution.
const z95 = 1.959964

// Reading is what a scheme read from one or more fish of a lot.
type Reading struct {
	Index     float64 `json:"index"` // mean over the fish, 0 to IndexMax
	IndexMax  int     `json:"index_max"`
	Grade     string  `json:"grade"`
	Fish      int     `json:"fish"`
	SignsSeen int     `json:"signs_seen"` // the fewest on any fish
	Age       Age     `json:"age"`
}

// Read reads the age of the fish back from their mean index, along the line
//
//	index(d) = i₀ + (share·max − i₀) · d / mid,   mid = middle of the shelf life in days
//
// with the variance, for n fish of which a part mᵢ of the maximum was seen,
//
//	σ² = Σ σ_fish²/mᵢ / n² + σ_cal²
//
// At or above the rejection index the answer is "at least mid". The shelf life
// is in days in melting ice. It returns ErrNoSigns, ErrUnknownSign or ErrLevel.
func (s Scheme) Read(shelf species.Range, fish []Signs) (Reading, error) {
	r := Reading{IndexMax: s.Max(), Fish: len(fish), SignsSeen: math.MaxInt}
	var sum, variance float64
	mid, cal := shelf.Mid(), s.Calibration
	for _, f := range fish {
		if err := s.Check(f); err != nil {
			return Reading{}, err
		}
		index, seen := s.Index(f)
		if seen == 0 {
			return Reading{}, ErrNoSigns
		}
		sum += index
		variance += cal.SigmaFish * cal.SigmaFish / seen
		r.SignsSeen = min(r.SignsSeen, len(f))
	}
	if len(fish) == 0 {
		return Reading{}, ErrNoSigns
	}
	n := float64(len(fish))
	r.Index = sum / n
	r.Grade = s.Grade(r.Index)
	r.Age.SD = mid * math.Sqrt(variance/(n*n)+cal.SigmaCalibration*cal.SigmaCalibration)
	r.Age.Days = math.Max(0, (r.Index-cal.IndexAtDeath)*mid/(s.Rejection()-cal.IndexAtDeath))
	if r.Index >= s.Rejection() {
		r.Age.Days, r.Age.AtLeast = mid, true
	}
	return r, nil
}

//go:embed schemes/*.json
var schemeFiles embed.FS

var schemes = sync.OnceValue(func() []Scheme {
	entries, err := schemeFiles.ReadDir("schemes")
	if err != nil {
		panic(fmt.Sprintf("freshness: embedded schemes: %v", err))
	}
	var list []Scheme
	for _, e := range entries {
		data, _ := schemeFiles.ReadFile("schemes/" + e.Name())
		var s Scheme
		if err := json.Unmarshal(data, &s); err != nil {
			panic(fmt.Sprintf("freshness: embedded scheme %s: %v", e.Name(), err))
		}
		list = append(list, s)
	}
	return list
})

// Schemes lists the schemes. The caller must not change them.
func Schemes() []Scheme { return schemes() }

// Get returns the scheme with the id.
func Get(id string) (Scheme, bool) {
	i := slices.IndexFunc(schemes(), func(s Scheme) bool { return s.ID == id })
	if i < 0 {
		return Scheme{}, false
	}
	return schemes()[i], true
}
