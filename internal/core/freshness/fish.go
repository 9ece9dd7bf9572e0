package freshness

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
)

// Signs are the levels chosen for one fish, by sign. A sign that could not be
// seen is absent.
type Signs map[string]int

// Fish is what was seen on one fish: its signs, what else some of them could
// mean, and what no scheme scores but decides all the same. In JSON it is one
// object, all of it beside the signs:
//
//	{"skin": 1, "stiffness": 3, "explanations": ["spent"], "findings": ["hook"]}
type Fish struct {
	Signs        Signs
	Explanations []string
	Findings     []string
}

// What stands beside the signs in JSON.
const (
	explanationsKey = "explanations"
	findingsKey     = "findings"
)

// MarshalJSON implements json.Marshaler.
func (f Fish) MarshalJSON() ([]byte, error) {
	all := map[string]any{}
	for id, level := range f.Signs {
		all[id] = level
	}
	for key, ids := range map[string][]string{explanationsKey: f.Explanations, findingsKey: f.Findings} {
		if len(ids) > 0 {
			all[key] = ids
		}
	}
	return json.Marshal(all)
}

// UnmarshalJSON implements json.Unmarshaler. Its errors are invalid.Errors.
func (f *Fish) UnmarshalJSON(data []byte) error {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(data, &all); err != nil {
		return invalid.Errors{{Field: "fish", Message: "must be objects of signs and their levels"}}
	}
	*f = Fish{Signs: Signs{}}
	for id, value := range all {
		if list, ok := map[string]*[]string{explanationsKey: &f.Explanations, findingsKey: &f.Findings}[id]; ok {
			if err := json.Unmarshal(value, list); err != nil {
				return invalid.Errors{{Field: "fish." + id, Message: "must be a list of ids"}}
			}
			continue
		}
		var level int
		if err := json.Unmarshal(value, &level); err != nil {
			return invalid.Errors{{Field: "fish." + id, Message: "must be the number of a level"}}
		}
		f.Signs[id] = level
	}
	return nil
}

// CheckFor is CheckFish for fish of a species: its explanations must be ones
// that can happen in it.
func (s Scheme) CheckFor(sp species.Species, fish Fish) error {
	if err := s.CheckFish(fish); err != nil {
		return err
	}
	for _, id := range fish.Explanations {
		if e, _ := GetExplanation(id); !e.Happens(sp) {
			return fmt.Errorf("%q %w for %s", id, ErrExplanation, sp.Name)
		}
	}
	return nil
}

// CheckFish returns an error that names the first sign of the fish, in
// alphabetical order, that the scheme does not know or whose level is out of
// its range, or the first explanation that there is not.
func (s Scheme) CheckFish(fish Fish) error {
	for _, id := range slices.Sorted(maps.Keys(fish.Signs)) {
		sign, ok := s.Sign(id)
		if !ok {
			return fmt.Errorf("%q %w", id, ErrUnknownSign)
		}
		if level := fish.Signs[id]; level < 0 || level >= len(sign.Levels) {
			return fmt.Errorf("%s: %d %w (0 to %d)", id, level, ErrLevel, len(sign.Levels)-1)
		}
	}
	for _, id := range fish.Explanations {
		if _, ok := GetExplanation(id); !ok {
			return fmt.Errorf("%q %w", id, ErrExplanation)
		}
	}
	for _, id := range fish.Findings {
		if _, ok := getFinding(id); !ok {
			return fmt.Errorf("%q %w", id, ErrFinding)
		}
	}
	return nil
}

// Finding is something that no scheme scores and that decides whatever the
// score (findings.json).
type Finding struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Red    bool   `json:"red,omitempty"` // a red flag: not drowned by the good signs
	Effect Effect `json:"effect"`
}

// OtherSpecies is the finding that a fish is not what the delivery note says.
const OtherSpecies = "other_species"

//go:embed findings.json
var findingsJSON []byte

var findings = sync.OnceValue(func() []Finding { return embedded[Finding](findingsJSON) })

// embedded reads a list that comes with the package.
func embedded[T any](data []byte) []T {
	var list []T
	if err := json.Unmarshal(data, &list); err != nil {
		panic(fmt.Sprintf("freshness: embedded list of %T: %v", *new(T), err))
	}
	return list
}

// Findings lists what may be found on any fish. The caller must not change it.
func Findings() []Finding { return findings() }

func getFinding(id string) (Finding, bool) {
	i := slices.IndexFunc(findings(), func(f Finding) bool { return f.ID == id })
	if i < 0 {
		return Finding{}, false
	}
	return findings()[i], true
}

// How an explained sign is read.
const (
	ReadsUnseen = "unseen" // it tells nothing of the age: as if it had not been seen
	ReadsFresh  = "fresh"  // as its first level
)

// Explanation is what else a sign could mean (explanations.json).
type Explanation struct {
	ID          string         `json:"id"`
	Name        string         `json:"name"`
	Why         string         `json:"why"`
	Origin      string         `json:"origin"`
	SignIDs     []string       `json:"signs"`                  // the signs it can explain
	SpeciesIDs  []string       `json:"species,omitempty"`      // the only species it happens in; empty for all
	Groups      []string       `json:"groups,omitempty"`       // the only groups; empty for all
	Bodies      []species.Body `json:"bodies,omitempty"`       // the only bodies; empty for all
	LooseScales bool           `json:"loose_scales,omitempty"` // only species that shed when fresh
	// explains the first level, and only it: what looks too good
	WhenFresh bool `json:"when_fresh,omitempty"`
	// follows from the lot's record, and is not offered
	ByRecord bool     `json:"by_record,omitempty"`
	Reads    string   `json:"reads"`              // how the sign is read then
	Decision Decision `json:"decision,omitempty"` // the verdict is at best this
	Note     string   `json:"note,omitempty"`     // stands with the verdict
	Show     Features `json:"show,omitempty"`
}

// Happens reports whether fish of the species can be so.
func (e Explanation) Happens(sp species.Species) bool {
	in := func(list []string, id string) bool { return len(list) == 0 || slices.Contains(list, id) }
	return in(e.SpeciesIDs, sp.ID) && in(e.Groups, sp.Group) &&
		(len(e.Bodies) == 0 || slices.Contains(e.Bodies, sp.Body)) && (!e.LooseScales || sp.LooseScales)
}

// Explains reports whether the level of a sign could mean this.
func (e Explanation) Explains(sign string, level int, sp species.Species) bool {
	return !e.ByRecord && slices.Contains(e.SignIDs, sign) && (level == 0) == e.WhenFresh && e.Happens(sp)
}

//go:embed explanations.json
var explanationsJSON []byte

var explanations = sync.OnceValue(func() []Explanation { return embedded[Explanation](explanationsJSON) })

// Explanations lists what signs could mean besides age. The caller must not
// change it.
func Explanations() []Explanation { return explanations() }

// GetExplanation returns the explanation with the id.
func GetExplanation(id string) (Explanation, bool) {
	i := slices.IndexFunc(explanations(), func(e Explanation) bool { return e.ID == id })
	if i < 0 {
		return Explanation{}, false
	}
	return explanations()[i], true
}

// WashedInAcid is fish that was washed in citrus or vinegar before it was looked at: what is clean
// about its smell and slime counts as unseen.
func WashedInAcid(fish []Fish) []Fish {
	list := slices.Clone(fish)
	for i, f := range list {
		list[i].Explanations = append(slices.Clone(f.Explanations), "washed_acid")
	}
	return list
}

// ExplanationsFor lists what the level of a sign could mean on the species.
func ExplanationsFor(sign string, level int, sp species.Species) []Explanation {
	var list []Explanation
	for _, e := range explanations() {
		if e.Explains(sign, level, sp) {
			list = append(list, e)
		}
	}
	return list
}

// explained maps the signs that the fish's explanations account for to the
// first that does. An explanation never explains a hard stop away.
func (f Fish) explained(s Scheme) map[string]Explanation {
	out := map[string]Explanation{}
	for _, id := range f.Explanations {
		e, ok := GetExplanation(id)
		if !ok {
			continue
		}
		for _, sign := range e.SignIDs {
			level, seen := f.Signs[sign]
			def, known := s.Sign(sign)
			if _, taken := out[sign]; taken || !seen || !known || (level == 0) != e.WhenFresh ||
				level >= len(def.Levels) {
				continue
			}
			if effect := def.Levels[level].Effect; effect == nil || !effect.Hard {
				out[sign] = e
			}
		}
	}
	return out
}

// read is the fish as its age is read: without the signs that its explanations
// take out, and with those set back that they account for.
func (f Fish) read(s Scheme) Signs {
	signs := maps.Clone(f.Signs)
	for id, e := range f.explained(s) {
		if e.Reads == ReadsFresh {
			signs[id] = 0
		} else {
			delete(signs, id)
		}
	}
	return signs
}
