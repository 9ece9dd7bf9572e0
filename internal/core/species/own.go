package species

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/refs"
)

// House is what makes an entry one that a kitchen made.
type House struct {
	Kin     string `json:"kin,omitempty"` // the id of the species that it was copied from; "" for an unlisted fish
	Version int    `json:"version"`
	Note    string `json:"note,omitempty"` // where its figures come from
}

// ownPrefix begins the ids of entries that a kitchen made.
const ownPrefix = "house-"

// What is taken of a species that nobody knows (house): a life in melting ice as of the fish that keep
// shortest, and of kin a part of its own.
var (
	unlistedLife = Range{3, 6}
	unlistedC    = Composition{Water: 0.78, Protein: 0.19, Fat: 0.015, Ash: 0.013}
)

const kinLife = 0.75

// Unlisted is a fish that nobody finds in the catalogue, by the name that it is sold under and with
// the careful side of every rule: a short life, the larger rate at every temperature, histamine
// watched, parasites high, its waters asked for.
func (c Catalogue) Unlisted(name string) Species {
	s := Species{Name: strings.TrimSpace(name), Body: Round, Figure: "bass", Group: "white", Fat: "fatty",
		Composition: unlistedC, ShelfLife: unlistedLife, YieldOf: Whole, SkinOn: Range{0.30, 0.45}, Skinless: Range{0.25, 0.40},
		GutLoss: 0.12, HeadLoss: 0.25, House: &House{Version: 1}}
	s.careful(false)
	s.ID = c.ownID(s.Name)
	return s
}

// CopyOf is a species of a kitchen's own by the figures of its kin, with the careful side of each.
func (c Catalogue) CopyOf(kin Species, name string) Species {
	s := kin
	s.Name, s.Names, s.Also, s.Aliases, s.Scientific, s.Farmed, s.Spawns = strings.TrimSpace(name), nil, nil, nil, "", nil, nil
	s.Marks, s.TakenFor = nil, []TakenFor{{kin.ID, kin.Name, strings.Join(kin.Marks, ", ")}}
	s.ShelfLife = kin.ShelfLife.Times(kinLife)
	s.House = &House{Kin: kin.ID, Version: 1}
	s.careful(c.clear(kin.Family))
	s.ID = c.ownID(s.Name)
	return s
}

// careful takes the careful side of what hazards depend on; of histamine only where the family is not
// known to be clear of it.
func (s *Species) careful(clear bool) {
	s.Habitat, s.Parasite, s.Ciguatera = "mixed", High, s.Fish()
	if !clear && s.Histamine != Former {
		s.Histamine = Watched
	}
	s.Origin = Origins{}
}

// clear reports whether the catalogue knows a family, and none of it is under the histamine rules.
func (c Catalogue) clear(family string) bool {
	known := false
	for _, s := range c.list {
		if s.Family == family && s.House == nil {
			if s.HistamineRules() {
				return false
			}
			known = true
		}
	}
	return known
}

// ownID is an id for a name that no entry has.
func (c Catalogue) ownID(name string) string {
	slug := strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			return r
		case r == ' ':
			return '-'
		}
		return -1
	}, fold(name))
	id := ownPrefix + slug
	for n := 2; ; n++ {
		if _, taken := c.byID[id]; !taken {
			return id
		}
		id = fmt.Sprintf("%s%s-%d", ownPrefix, slug, n)
	}
}

// With is the catalogue with species of a kitchen's own, each in the place of an older version of itself.
func (c Catalogue) With(own []Species) Catalogue {
	list := slices.DeleteFunc(slices.Clone(c.list), func(s Species) bool {
		return slices.ContainsFunc(own, func(o Species) bool { return o.ID == s.ID })
	})
	return New(append(list, own...))
}

// Own are the entries that a kitchen made.
func (c Catalogue) Own() []Species {
	return slices.DeleteFunc(slices.Clone(c.list), func(s Species) bool { return s.House == nil })
}

// ParseOwn reads species of a kitchen's own, as JSON.
func ParseOwn(text string) ([]Species, error) {
	var own []Species
	if err := json.Unmarshal([]byte(text), &own); err != nil {
		return nil, fmt.Errorf("species of a kitchen's own: %w", err)
	}
	house := refs.Cited("house: set by this kitchen")
	for i, s := range own {
		if s.House == nil || !strings.HasPrefix(s.ID, ownPrefix) {
			return nil, fmt.Errorf("species %q is none of a kitchen's own", s.ID)
		}
		own[i].Origin = Origins{"all fields": house}
	}
	return own, nil
}

// Bounds of a species of a kitchen's own.
const (
	mostNameLetters = 60
	mostLifeDays    = 30.0
)

// CheckOwn returns what is wrong with a species of a kitchen's own in this catalogue. Errors are on the
// JSON names of its fields. No species is milder than its kin: what forms histamine or lives on the
// reefs goes on doing so.
func (c Catalogue) CheckOwn(s Species) invalid.Errors {
	var bad invalid.Errors
	if fold(s.Name) == "" || invalid.TooLong(s.Name, mostNameLetters) {
		bad.Add("name", "give it a name of at most %d characters", mostNameLetters)
	}
	for field, names := range map[string][]string{"name": {s.Name}, "aliases": s.Aliases} {
		for _, name := range names {
			for _, other := range c.Named(name) {
				if other.ID != s.ID {
					bad.Add(field, "%s is %s already", name, other.Name)
				}
			}
		}
	}
	for _, field := range []struct {
		name, value string
		allowed     []string
	}{
		{"body", string(s.Body), []string{"round", "flat", "tail", "large_pelagic", "ray", "cephalopod", "crustacean", "bivalve"}}, {"group", s.Group, []string{"white", "blue", "shark", "other"}},
		{"habitat", s.Habitat, []string{"temperate", "warm", "mixed"}}, {"fat_class", s.Fat, []string{"lean", "medium", "fatty"}},
		{"histamine_former", string(s.Histamine), []string{"no", "watched", "yes"}},
		{"parasite_concern", string(s.Parasite), []string{"low", "high"}}, {"sale_restriction", string(s.Sale), []string{"", "warn", "refuse"}},
		{"yield_of", string(s.YieldOf), []string{"whole", "gutted", "headed_gutted", "tail"}},
	} {
		if !slices.Contains(field.allowed, field.value) {
			bad.Add(field.name, "choose one")
		}
	}
	k := s.Composition
	if sum := k.Water + k.Protein + k.Fat + k.Ash; !(k.Water > 0.4 && k.Protein > 0 && k.Fat >= 0 && k.Ash >= 0 && sum > 0.9 && sum < 1.05) {
		bad.Add("composition", "water, protein, fat and ash must make up the flesh: 90 to 105 %%, of it more than 40 %% water")
	}
	if s.Fish() {
		checkRange("shelf_life_days", s.ShelfLife, mostLifeDays, "days", &bad)
	}
	checkRange("yield_skin_on", s.SkinOn, 1, "of the fish", &bad)
	checkRange("yield_skinless", s.Skinless, 1, "of the fish", &bad)
	if !(s.GutLoss >= 0 && s.HeadLoss >= 0 && s.GutLoss+s.HeadLoss < 0.9) {
		bad.Add("gutting_loss", "gutting and heading must leave something of the fish")
	}
	if s.House == nil {
		bad.Add("name", "is no species of the kitchen's own")
	} else if kin, ok := c.Get(s.House.Kin); ok {
		c.checkKin(s, kin, &bad)
	} else if !s.Fish() {
		bad.Add("body", "of other seafood nobody reads the age: make it from its kin")
	}
	return bad
}

func checkRange(field string, r Range, most float64, unit string, bad *invalid.Errors) {
	if !(r.Lo > 0 && r.Lo <= r.Hi && r.Hi <= most) {
		bad.Add(field, "must go from a lower to a higher number, at most %g %s", most, unit)
	}
}

// checkKin holds a species to the hazards of its kin.
func (c Catalogue) checkKin(s, kin Species, bad *invalid.Errors) {
	if s.Fish() != kin.Fish() {
		bad.Add("body", "%s, its kin, is built otherwise", kin.Name)
	}
	mine, theirs := s.Hazards(), kin.Hazards()
	for _, h := range []struct {
		field        string
		mine, theirs bool
	}{{"sale_restriction", mine.Banned, theirs.Banned}, {"sale_restriction", mine.Warned || mine.Banned, theirs.Warned},
		{"histamine_former", mine.Histamine, theirs.Histamine}, {"ciguatera_concern", mine.Ciguatera, theirs.Ciguatera}} {
		if h.theirs && !h.mine {
			bad.Add(h.field, "%s, its kin, has this hazard: it is not milder", kin.Name)
		}
	}
}
