// Package species is the catalogue of the fish that the trade handles: what
// each is and is called, how it spoils, what hazards it carries and what it
// yields. The data is catalogue.csv; origins.json states where each field comes from.
//
//	cod, ok := species.Builtin().Get("cod")
//	named := species.Builtin().Named("snapper") // more than one: ask which
package species

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"
	"sync"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/refs"
)

// Body is how the fish is built and filleted.
type Body string

// The body types.
const (
	Round        Body = "round"         // two fillets
	Flat         Body = "flat"          // four fillets, or two double ones
	Tail         Body = "tail"          // sold as a tail: anglerfish
	LargePelagic Body = "large_pelagic" // loins
	Ray          Body = "ray"           // wings
	Cephalopod   Body = "cephalopod"    // squid, cuttlefish, octopus
	Crustacean   Body = "crustacean"    // prawns, lobsters, crabs
	Bivalve      Body = "bivalve"       // oysters, mussels, clams: with the harvester's tag
)

// Histamine says whether the species forms scombrotoxin.
type Histamine string

// Formers and watched species are under the histamine rules.
const (
	NotFormer Histamine = "no"
	Former    Histamine = "yes"
	Watched   Histamine = "watched"
)

// Concern is a level of worry.
type Concern string

// The levels of concern. Low is not none.
const (
	Low  Concern = "low"
	High Concern = "high"
)

// Sale says whether the species may be sold at all.
type Sale string

// Restrictions on sale.
const (
	SaleFree   Sale = ""
	SaleWarn   Sale = "warn"   // only with a warning to the guest
	SaleRefuse Sale = "refuse" // may not be sold
)

// Range is a closed interval.
type Range struct {
	Lo float64 `json:"lo"`
	Hi float64 `json:"hi"`
}

// Mid is the middle of the range.
func (r Range) Mid() float64 { return (r.Lo + r.Hi) / 2 }

// Times is the range times a factor.
func (r Range) Times(f float64) Range { return Range{r.Lo * f, r.Hi * f} }

// Composition is the make-up of the flesh, mass fractions as printed in the
// source: normalise them to a sum of 1 before computing with them.
type Composition struct {
	Water   float64 `json:"water"`
	Protein float64 `json:"protein"`
	Fat     float64 `json:"fat"`
	Ash     float64 `json:"ash"`
}

// Name is a market name and where it is used.
type Name struct {
	Text   string `json:"name"`
	Region string `json:"region,omitempty"` // a country, by ISO 3166; "" for everywhere
}

// Spawning is when a species spawns in an area, months of the year; From may be
// later than To, over the turn of the year.
type Spawning struct {
	Area string `json:"area"`
	From int    `json:"from"`
	To   int    `json:"to"`
}

// In reports whether a month, 1 to 12, is one of spawning.
func (s Spawning) In(month int) bool {
	if s.From <= s.To {
		return s.From <= month && month <= s.To
	}
	return month >= s.From || month <= s.To
}

// TakenFor is a species that the fish may be taken for, or be replaced by, and what that
// has instead.
type TakenFor struct {
	ID   string `json:"species"`
	Name string `json:"name"`
	Has  string `json:"has"`
}

// Farmed is what is otherwise where the species is farmed. What it leaves zero is as
// of wild fish.
type Farmed struct {
	Fat         string      `json:"fat_class,omitempty"`
	Composition Composition `json:"composition,omitzero"`
	ShelfLife   Range       `json:"shelf_life_days,omitzero"`
	Parasite    Concern     `json:"parasite_concern"`
}

// Species is one entry of the catalogue; of fish that is farmed, as it is wild.
type Species struct {
	ID          string      `json:"id"`
	Name        string      `json:"name"`         // no other species is called so
	Aliases     []string    `json:"aliases"`      // all its other names
	Names       []Name      `json:"names"`        // those of them that mean this species where they are used
	Also        []string    `json:"shared_names"` // those that several species go by
	Scientific  string      `json:"scientific"`
	Family      string      `json:"family"`
	Body        Body        `json:"body"`
	Figure      string      `json:"figure"`    // the silhouette it is drawn with
	Group       string      `json:"group"`     // white, blue, shark or other
	Habitat     string      `json:"habitat"`   // temperate, warm or mixed
	Fat         string      `json:"fat_class"` // lean, medium or fatty
	Composition Composition `json:"composition"`
	// ShelfLife is the life in melting ice, days; zero of other seafood. Its lower end predicts the
	// life left, its middle reads the age: the two are never mixed.
	ShelfLife   Range      `json:"shelf_life_days"`
	Farmed      *Farmed    `json:"farmed,omitempty"` // nil where it is not
	Histamine   Histamine  `json:"histamine_former"`
	Parasite    Concern    `json:"parasite_concern"`
	Ciguatera   bool       `json:"ciguatera_concern"`
	Mercury     bool       `json:"mercury_concern"` // some guests are advised against it
	Sale        Sale       `json:"sale_restriction"`
	YieldOf     Basis      `json:"yield_of"`          // what the yields are shares of
	SkinOn      Range      `json:"yield_skin_on"`     // fillets
	Skinless    Range      `json:"yield_skinless"`    // fillets
	GutLoss     float64    `json:"gutting_loss"`      // share of the whole fish
	HeadLoss    float64    `json:"heading_loss"`      // share of the whole fish, after gutting
	Stock       bool       `json:"frames_make_stock"` //
	LooseScales bool       `json:"loose_scales"`      // sheds scales when fresh
	Spawns      []Spawning `json:"spawns,omitempty"`  // its flesh is softer then
	Marks       []string   `json:"marks,omitempty"`   // by which it is known; they are drawn
	TakenFor    []TakenFor `json:"taken_for,omitempty"`
	House       *House     `json:"house,omitempty"`  // nil for what comes with the application
	Origin      Origins    `json:"origins,omitzero"` // where each field comes from
	names       []string   // all of them, as texts are compared
}

// Origins names the source of each field.
type Origins map[string]refs.Cited

// Fish reports whether the species is fin fish. Of other seafood no age is read, and a person sets the
// day by which it is used.
func (s Species) Fish() bool {
	return s.Body != Cephalopod && s.Body != Crustacean && s.Body != Bivalve
}

// Model is the spoilage model of the species: the careful one where its waters are
// mixed or not known.
func (s Species) Model() coldchain.Model {
	switch s.Habitat {
	case "temperate":
		return coldchain.Temperate
	case "warm":
		return coldchain.Warm
	}
	return coldchain.Mixed
}

// AsFarmed is the species as it is where it is farmed.
func (s Species) AsFarmed() Species {
	f := s.Farmed
	if f == nil {
		return s
	}
	s.Parasite = f.Parasite
	if f.Fat != "" {
		s.Fat = f.Fat
	}
	if f.Composition != (Composition{}) {
		s.Composition = f.Composition
	}
	if f.ShelfLife != (Range{}) {
		s.ShelfLife = f.ShelfLife
	}
	return s
}

// Allergen is what a menu calls it among the allergens [EU1169, annex II].
func (s Species) Allergen() string {
	switch s.Body {
	case Crustacean:
		return "crustaceans"
	case Bivalve, Cephalopod:
		return "molluscs"
	}
	return "fish"
}

// HistamineRules reports whether the histamine rules apply.
func (s Species) HistamineRules() bool { return s.Histamine != NotFormer }

// Basis is the state of a fish whose weight a share is taken of.
type Basis string

// The bases.
const (
	Whole        Basis = "whole"
	Gutted       Basis = "gutted"
	HeadedGutted Basis = "headed_gutted"
	TailOnly     Basis = "tail"
)

// BasisOf is the state of a fish in a form of delivery; false for what is cut already.
func BasisOf(form string) (Basis, bool) {
	basis, ok := map[string]Basis{"whole": Whole, "gutted": Gutted, "gutted_gills_out": Gutted, "headed_gutted": HeadedGutted,
		"tail": TailOnly}[form]
	return basis, ok
}

// ofWhole is the share of the whole fish that a basis weighs.
func (s Species) ofWhole(b Basis) float64 {
	switch b {
	case Gutted:
		return 1 - s.GutLoss
	case HeadedGutted, TailOnly:
		return 1 - s.GutLoss - s.HeadLoss
	}
	return 1
}

// Heads is the share of a fish in the state of the basis that its head weighs.
func (s Species) Heads(of Basis) float64 {
	if of == HeadedGutted || of == TailOnly {
		return 0
	}
	return s.HeadLoss / s.ofWhole(of)
}

// Guts is the share of a fish in the state of the basis that its guts weigh.
func (s Species) Guts(of Basis) float64 {
	if of == Whole {
		return s.GutLoss
	}
	return 0
}

// Fillets is the expected yield of fillets with or without skin, as a share of a fish
// weighed in the state of the basis.
func (s Species) Fillets(of Basis, skinless bool) Range {
	yield := s.SkinOn
	if skinless {
		yield = s.Skinless
	}
	r := yield.Times(s.ofWhole(s.YieldOf) / s.ofWhole(of))
	return Range{min(r.Lo, 1), min(r.Hi, 1)}
}

//go:embed catalogue.csv
var catalogueCSV []byte

//go:embed identity.csv
var identityCSV []byte

//go:embed origins.json
var originsJSON []byte

// Catalogue is a list of species by name. The zero Catalogue knows none.
type Catalogue struct {
	list []Species
	byID map[string]int
}

// New is a catalogue of some species.
func New(list []Species) Catalogue {
	c := Catalogue{list: slices.Clone(list), byID: map[string]int{}}
	slices.SortFunc(c.list, func(a, b Species) int { return strings.Compare(a.Name, b.Name) })
	for i := range c.list {
		c.list[i].names = c.list[i].comparable()
		c.byID[c.list[i].ID] = i
	}
	return c
}

// Builtin is the catalogue that comes with the application.
var Builtin = sync.OnceValue(func() Catalogue {
	list, err := parse(catalogueCSV, identityCSV, originsJSON)
	if err != nil {
		panic(fmt.Sprintf("species: embedded catalogue: %v", err))
	}
	return New(list)
})

// All lists the catalogue by name. The caller must not change it.
func (c Catalogue) All() []Species { return c.list }

// Get returns the species with the id.
func (c Catalogue) Get(id string) (Species, bool) {
	if i, ok := c.byID[id]; ok {
		return c.list[i], true
	}
	return Species{}, false
}
