// Package species is the catalogue of the fish that the trade handles: what
// each is, how it spoils, what hazards it carries and what it yields. The data
// is catalogue.csv; origins.json states where each field comes from.
package species

import (
	"bytes"
	_ "embed"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
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

// The levels of concern.
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

// Composition is the make-up of the flesh, mass fractions as printed in the
// source: normalise them to a sum of 1 before computing with them.
type Composition struct {
	Water   float64 `json:"water"`
	Protein float64 `json:"protein"`
	Fat     float64 `json:"fat"`
	Ash     float64 `json:"ash"`
}

// Species is one entry of the catalogue.
type Species struct {
	ID          string      `json:"id"`
	Name        string      `json:"name"`
	Aliases     []string    `json:"aliases"`
	Scientific  string      `json:"scientific"`
	Family      string      `json:"family"`
	Body        Body        `json:"body"`
	Figure      string      `json:"figure"` // the silhouette it is drawn with
	Group       string      `json:"group"`  // white, blue or shark
	Habitat     string      `json:"habitat"`
	Fat         string      `json:"fat_class"` // lean, medium or fatty
	Composition Composition `json:"composition"`
	// ShelfLife is the life in melting ice, days. Its lower end predicts the
	// life left, its middle reads the age: the two are never mixed.
	ShelfLife   Range     `json:"shelf_life_days"`
	Histamine   Histamine `json:"histamine_former"`
	Parasite    Concern   `json:"parasite_concern"`
	Ciguatera   bool      `json:"ciguatera_concern"`
	Sale        Sale      `json:"sale_restriction"`
	SkinOn      Range     `json:"yield_skin_on"`     // fillets, share of the whole fish
	Skinless    Range     `json:"yield_skinless"`    // fillets, share of the whole fish
	GutLoss     float64   `json:"gutting_loss"`      // share of the whole fish
	HeadLoss    float64   `json:"heading_loss"`      // share of the whole fish, after gutting
	Stock       bool      `json:"frames_make_stock"` //
	LooseScales bool      `json:"loose_scales"`      // sheds scales when fresh
	Origin      Origins   `json:"origins,omitzero"`  // where each field comes from
	searchText  string    //
}

// Origins names the source of each field.
type Origins map[string]refs.Cited

// Model is the spoilage model of the species.
func (s Species) Model() coldchain.Model {
	if s.Habitat == "warm" {
		return coldchain.Warm
	}
	return coldchain.Temperate
}

// HistamineRules reports whether the histamine rules apply.
func (s Species) HistamineRules() bool { return s.Histamine != NotFormer }

//go:embed catalogue.csv
var catalogueCSV []byte

//go:embed origins.json
var originsJSON []byte

// Catalogue is a list of species by name. The zero Catalogue knows none.
type Catalogue struct{ list []Species }

// Builtin is the catalogue that comes with the application.
var Builtin = sync.OnceValue(func() Catalogue {
	list, err := parse(catalogueCSV, originsJSON)
	if err != nil {
		panic(fmt.Sprintf("species: embedded catalogue: %v", err))
	}
	return Catalogue{list}
})

// All lists the catalogue by name. The caller must not change it.
func (c Catalogue) All() []Species { return c.list }

// Get returns the species with the id.
func (c Catalogue) Get(id string) (Species, bool) {
	for _, s := range c.list {
		if s.ID == id {
			return s, true
		}
	}
	return Species{}, false
}

// Search returns at most limit species that match the text, best first: by a
// name that begins with it, the market name before an alias, by a word in a name,
// by any part of a name, a scientific name or an id.
func (c Catalogue) Search(text string, limit int) []Species {
	text = strings.ToLower(strings.TrimSpace(text))
	var ranked [4][]Species
	for _, s := range c.list {
		if r := rank(s, text); r < len(ranked) {
			ranked[r] = append(ranked[r], s)
		}
	}
	other := func(s Species) int { // an alias begins with it
		if strings.HasPrefix(strings.ToLower(s.Name), text) {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(ranked[1], func(a, b Species) int { return other(a) - other(b) })
	found := slices.Concat(ranked[:]...)
	return found[:min(limit, len(found))]
}

// Find resolves what a person typed: an id, or a name, an alias or a
// scientific name in any case.
func (c Catalogue) Find(text string) (Species, bool) {
	text = strings.ToLower(strings.TrimSpace(text))
	for _, s := range c.list {
		if rank(s, text) == 0 {
			return s, true
		}
	}
	return Species{}, false
}

// Near guesses what was meant by a text that Find does not know: the best match
// of its longest beginning that matches at all, of at least three letters.
func (c Catalogue) Near(text string) (Species, bool) {
	for runes := []rune(strings.TrimSpace(text)); len(runes) >= 3; runes = runes[:len(runes)-1] {
		if found := c.Search(string(runes), 1); len(found) > 0 {
			return found[0], true
		}
	}
	return Species{}, false
}

// rank is 0 for an exact name, 1 for the beginning of one, 2 for the beginning
// of a word, 3 for any part, 4 for no match.
func rank(s Species, text string) int {
	switch {
	case strings.Contains(s.searchText, "|"+text+"|"):
		return 0
	case strings.Contains(s.searchText, "|"+text):
		return 1
	case strings.Contains(s.searchText, " "+text):
		return 2
	case strings.Contains(s.searchText, text):
		return 3
	}
	return 4
}

func parse(table, origins []byte) ([]Species, error) {
	rows, err := csv.NewReader(bytes.NewReader(table)).ReadAll()
	if err != nil {
		return nil, err
	}
	var from map[string]map[string]refs.Cited
	if err := json.Unmarshal(origins, &from); err != nil {
		return nil, fmt.Errorf("origins: %w", err)
	}
	column := map[string]int{}
	for i, name := range rows[0] {
		column[name] = i
	}
	var list []Species
	for _, row := range rows[1:] {
		text := func(name string) string { return row[column[name]] }
		num := func(name string) float64 {
			v, e := strconv.ParseFloat(text(name), 64)
			if e != nil && err == nil {
				err = fmt.Errorf("%s, column %s: %w", text("id"), name, e)
			}
			return v
		}
		s := Species{
			ID: text("id"), Name: text("name"), Scientific: text("scientific"), Family: text("family"),
			Body: Body(text("body")), Figure: text("figure"), Group: text("group"),
			Habitat: text("habitat"), Fat: text("fat"),
			Composition: Composition{num("water"), num("protein"), num("lipid"), num("ash")},
			ShelfLife:   Range{num("shelf_lo"), num("shelf_hi")},
			Histamine:   Histamine(text("histamine")), Parasite: Concern(text("parasite")),
			Ciguatera: text("ciguatera") == "yes", Sale: Sale(text("sale")),
			SkinOn:   Range{num("skin_on_lo"), num("skin_on_hi")},
			Skinless: Range{num("skinless_lo"), num("skinless_hi")},
			GutLoss:  num("gut_loss"), HeadLoss: num("head_loss"),
			Stock: text("stock") == "yes", LooseScales: text("loose_scales") == "yes",
			Origin: Origins{},
		}
		if text("aliases") != "" {
			s.Aliases = strings.Split(text("aliases"), ";")
		}
		names := append([]string{s.ID, s.Name, s.Scientific}, s.Aliases...)
		s.searchText = "|" + strings.ToLower(strings.Join(names, "|")) + "|"
		for field, by := range from {
			s.Origin[field] = by["default"]
			if tag, ok := by[s.ID]; ok {
				s.Origin[field] = tag
			}
		}
		list = append(list, s)
	}
	slices.SortFunc(list, func(a, b Species) int { return strings.Compare(a.Name, b.Name) })
	return list, err
}
