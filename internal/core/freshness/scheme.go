// Package freshness judges a fish by what can be seen, smelt and pressed: it
// adds signs up to an index, reads the index backwards to an age in fresh days,
// holds that age against the one the papers say, and proposes a verdict.
//
// A scheme is data (schemes/*.json): signs, levels, what each level shows on the
// drawing and does to the verdict, the grades, the calibration line. The
// machinery knows no fish:
//
//	scheme, _ := freshness.Find("grade", cod)
//	fish := []freshness.Fish{{Signs: freshness.Signs{"skin": 1, "smell": 0}}}
//	reading, err := scheme.Read(cod.ShelfLife, fish)
//	verdict := freshness.Judge(freshness.Facts{Scheme: scheme, Species: cod, Fish: fish, Reading: reading, …})
package freshness

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/refs"
	"leancatch/internal/core/species"
)

// Scheme is a way to grade fish by signs.
type Scheme struct {
	ID          string         `json:"id"`
	Method      string         `json:"school"` // what people call it: the three tables of grade letters are one school
	Version     int            `json:"version"`
	Order       int            `json:"order"` // among those that fit, the lowest is offered
	Name        string         `json:"name"`
	Source      refs.Cited     `json:"source"`
	Groups      []string       `json:"groups,omitempty"` // of species; empty for all
	Bodies      []species.Body `json:"bodies"`
	Forms       []string       `json:"forms"`
	Frozen      bool           `json:"frozen,omitempty"` // for frozen fish, and only for it
	MinSigns    int            `json:"min_signs"`        // fewer, and the verdict is at best to cook
	Signs       []Sign         `json:"signs"`
	Grades      []Grade        `json:"grades"`        // from the best to the worst
	GradesFrom  refs.Cited     `json:"grades_origin"` // where their bounds come from
	Tally       []Tally        `json:"tally,omitempty"`
	Calibration *Calibration   `json:"calibration,omitempty"` // nil where the signs tell no age
}

// Grade names a range of the index, as a share of its maximum; the first that
// fits counts.
type Grade struct {
	Name    string  `json:"name"`
	Below   float64 `json:"below,omitempty"`   // shares below this one, or
	UpTo    float64 `json:"up_to,omitempty"`   // shares up to and with this one
	Refuses bool    `json:"refuses,omitempty"` // fish of this grade is refused
}

// Sign is one thing to look at; its levels score 0, 1, 2 … times its weight.
type Sign struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Zone     string   `json:"zone"`  // where on the drawn fish
	Sense    string   `json:"sense"` // look, smell or touch
	Ask      string   `json:"ask"`
	Weight   int      `json:"weight,omitempty"`   // demerits of a level step; 0 stands for 1
	GoneIn   []string `json:"gone_in,omitempty"`  // forms in which it cannot be seen
	OnlyIn   []string `json:"only_in,omitempty"`  // the only forms in which it can
	Replaces string   `json:"replaces,omitempty"` // the sign it stands in for; it does not count to the maximum twice
	Levels   []Level  `json:"levels"`
}

// Max is the highest score of the sign.
func (s Sign) Max() int { return (len(s.Levels) - 1) * max(s.Weight, 1) }

// score is what a level adds to the index.
func (s Sign) score(level int) int { return level * max(s.Weight, 1) }

// Level is one answer.
type Level struct {
	Name   string   `json:"name"`
	Detail string   `json:"detail"`
	Show   Features `json:"show,omitempty"`
	Effect *Effect  `json:"effect,omitempty"`
	Red    bool     `json:"red,omitempty"` // a red flag: not drowned by the good signs
}

// Features is what a drawing shows: features by name, from 0 (fresh) to 1.
type Features map[string]float64

// Effect is what a level does to the verdict, whatever the index.
type Effect struct {
	Decision Decision `json:"decision"`       // the verdict is at best this
	Hard     bool     `json:"hard,omitempty"` // only a manager may override it
	Note     string   `json:"note"`
}

// rule names why an effect decides.
func (e Effect) rule() string {
	switch {
	case e.Hard:
		return "hard stop"
	case e.Decision == Hold:
		return "second opinion"
	case e.Decision == Refuse:
		return "a sign refuses"
	}
	return "caution"
}

// Tally decides by how many signs of a fish reach a level.
type Tally struct {
	Level    int      `json:"level"`
	AtLeast  int      `json:"at_least"`
	Decision Decision `json:"decision"`
	Rule     string   `json:"rule"`
	Note     string   `json:"note"`
}

// Calibration is the straight line of the index against fresh days: from
// IndexAtDeath on day 0 to RejectionShare of the maximum at the middle of the
// species' shelf life, or at RejectionDay where that is given.
type Calibration struct {
	IndexAtDeath   float64 `json:"index_at_death"`
	RejectionShare float64 `json:"rejection_share"`
	RejectionDay   float64 `json:"rejection_day,omitempty"` // share of the middle of the shelf life; 0 stands for 1
	SigmaFish      float64 `json:"sigma_fish"`              // sd between fish, share of the middle of the shelf life
	// sd of the line itself; it does not shrink with the number of fish
	SigmaCalibration float64 `json:"sigma_calibration"`
	Origin           string  `json:"origin"`
}

// Errors of the package.
var (
	ErrUnknownSign = errors.New("is not a sign of this scheme")
	ErrLevel       = errors.New("is not a level of this sign")
	ErrNoSigns     = errors.New("no sign was given")
	ErrExplanation = errors.New("is not an explanation")
	ErrFinding     = errors.New("is not a finding")
)

// Max is the highest index: the sum of the signs' highest scores, those that
// stand in for another not counted twice.
func (s Scheme) Max() int {
	var sum int
	for _, sign := range s.Signs {
		if sign.Replaces == "" {
			sum += sign.Max()
		}
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

// Fits reports whether the scheme was made for fish of the species in a form.
func (s Scheme) Fits(sp species.Species, form string, frozen bool) bool {
	return s.Frozen == frozen && slices.Contains(s.Bodies, sp.Body) && slices.Contains(s.Forms, form) && s.covers(sp)
}

func (s Scheme) covers(sp species.Species) bool {
	return len(s.Groups) == 0 || slices.Contains(s.Groups, sp.Group)
}

// SignsOn returns the signs that can be seen on a fish of the form.
func (s Scheme) SignsOn(form string) []Sign {
	var seen []Sign
	for _, sign := range s.Signs {
		if !slices.Contains(sign.GoneIn, form) && (len(sign.OnlyIn) == 0 || slices.Contains(sign.OnlyIn, form)) {
			seen = append(seen, sign)
		}
	}
	return seen
}

// SenseOrders are the usual orders of the senses (common
// practice, no source); the first leaves the signs as the scheme lists them.
var SenseOrders = []SenseOrder{
	{"", "As the scheme lists them"}, {"look smell touch", "Look, smell, touch"}, {"smell look touch", "Smell first"},
	{"look touch smell", "Touch before smell"},
}

// SenseOrder is one of them.
type SenseOrder struct{ ID, Name string }

// BySense sorts signs by the order of the senses, those of one sense as they
// stood.
func BySense(signs []Sign, order string) []Sign {
	senses := strings.Fields(order)
	if len(senses) == 0 {
		return signs
	}
	sorted := slices.Clone(signs)
	slices.SortStableFunc(sorted, func(a, b Sign) int {
		return slices.Index(senses, a.Sense) - slices.Index(senses, b.Sense)
	})
	return sorted
}

// Grade names an index, "" where no grade fits.
func (s Scheme) Grade(index float64) string {
	const rounding = 1e-9 // a mean of exactly 2.0 is an A
	share := index / float64(s.Max())
	for _, g := range s.Grades {
		if share < g.Below-rounding || share <= g.UpTo+rounding {
			return g.Name
		}
	}
	return ""
}

// worst is the last grade where it refuses fish, "" else.
func (s Scheme) worst() string {
	if n := len(s.Grades); n > 0 && s.Grades[n-1].Refuses {
		return s.Grades[n-1].Name
	}
	return ""
}

// Rejection is the index at and above which a fish is past its life. The scheme
// must have a calibration.
func (s Scheme) Rejection() float64 { return s.Calibration.RejectionShare * float64(s.Max()) }

// RejectionDay is when the line reaches the rejection index, fresh days.
func (s Scheme) RejectionDay(shelf species.Range) float64 {
	if d := s.Calibration.RejectionDay; d > 0 {
		return d * shelf.Mid()
	}
	return shelf.Mid()
}

// Features is what the drawing of a fish shows: of each feature the strongest that
// a level chosen or an explanation given says.
func (s Scheme) Features(fish Fish) Features {
	look := Features{}
	show := func(more Features) {
		for feature, value := range more {
			look[feature] = max(look[feature], value)
		}
	}
	explained := fish.explained(s)
	for _, sign := range s.Signs {
		level, chosen := fish.Signs[sign.ID]
		if !chosen || level < 0 || level >= len(sign.Levels) {
			continue
		}
		if e, ok := explained[sign.ID]; ok && e.Reads == ReadsFresh {
			level = 0
		}
		show(sign.Levels[level].Show)
	}
	for _, id := range fish.Explanations {
		if e, ok := GetExplanation(id); ok {
			show(e.Show)
		}
	}
	return look
}

// Check says, as an error, what makes a scheme unusable: the first fault found.
// A house scheme must pass it before it is kept.
func (s Scheme) Check() error {
	ids := map[string]bool{}
	switch {
	case strings.TrimSpace(s.Name) == "" || invalid.TooLong(s.Name, 80):
		return errors.New("give it a name of at most 80 characters")
	case len(s.Signs) == 0:
		return errors.New("keep at least one sign")
	case s.MinSigns < 1 || s.MinSigns > len(s.Signs):
		return fmt.Errorf("the fewest signs must be between 1 and %d", len(s.Signs))
	}
	for _, sign := range s.Signs {
		switch {
		case ids[sign.ID]:
			return fmt.Errorf("the sign %s stands twice", sign.ID)
		case strings.TrimSpace(sign.Name) == "":
			return fmt.Errorf("the sign %s needs a name", sign.ID)
		case len(sign.Levels) < 2:
			return fmt.Errorf("%s needs at least two levels", sign.Name)
		case sign.Weight < 0 || sign.Weight > 5:
			return fmt.Errorf("the weight of %s must be between 1 and 5", sign.Name)
		}
		for _, l := range sign.Levels {
			if strings.TrimSpace(l.Name) == "" {
				return fmt.Errorf("each level of %s needs a name", sign.Name)
			}
			if l.Effect != nil && !slices.Contains(Decisions, l.Effect.Decision) {
				return fmt.Errorf("%s: %q is not a decision", sign.Name, l.Effect.Decision)
			}
		}
		ids[sign.ID] = true
	}
	if s.Max() == 0 {
		return errors.New("no sign counts")
	}
	if c := s.Calibration; c != nil {
		switch {
		case !(c.RejectionShare > 0.3 && c.RejectionShare <= 1):
			return errors.New("the share at rejection must be above 0.3 and at most 1")
		case !(c.IndexAtDeath >= 0 && c.IndexAtDeath < s.Rejection()/2):
			return fmt.Errorf("the index at death must be at least 0 and below %.1f", s.Rejection()/2)
		case !(c.RejectionDay >= 0 && c.RejectionDay <= 4):
			return errors.New("the day of rejection must be at most four times the middle of the shelf life")
		case !(c.SigmaFish > 0 && c.SigmaFish <= 1 && c.SigmaCalibration >= 0 && c.SigmaCalibration <= 1):
			return errors.New("the standard deviations must be between 0 and 1")
		}
	}
	return nil
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
		s, err := ParseScheme(data)
		if err != nil {
			panic(fmt.Sprintf("freshness: embedded scheme %s: %v", e.Name(), err))
		}
		list = append(list, s)
	}
	slices.SortFunc(list, func(a, b Scheme) int { return a.Order - b.Order })
	return list
})

// ParseScheme reads a scheme from its JSON and checks it.
func ParseScheme(data []byte) (Scheme, error) {
	var s Scheme
	if err := json.Unmarshal(data, &s); err != nil {
		return s, err
	}
	return s, s.Check()
}

// Schemes lists the schemes that come with the application, in the order in
// which they are offered. The caller must not change them.
func Schemes() []Scheme { return schemes() }

// Get returns the scheme with the id.
func Get(id string) (Scheme, bool) {
	i := slices.IndexFunc(schemes(), func(s Scheme) bool { return s.ID == id })
	if i < 0 {
		return Scheme{}, false
	}
	return schemes()[i], true
}

// Find returns the scheme with an id, or the one of a method that covers the
// species: grade is the table for white fish, for oily fish, or for sharks and
// rays.
func Find(name string, sp species.Species) (Scheme, bool) {
	if s, ok := Get(name); ok {
		return s, true
	}
	i := slices.IndexFunc(schemes(), func(s Scheme) bool { return s.Method == name && s.covers(sp) })
	if i < 0 {
		return Scheme{}, false
	}
	return schemes()[i], true
}

// Methods lists the names that Find knows besides the ids.
func Methods() []string {
	names := map[string]bool{}
	for _, s := range schemes() {
		names[s.Method] = true
	}
	return slices.Sorted(maps.Keys(names))
}
