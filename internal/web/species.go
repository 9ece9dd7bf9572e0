package web

import (
	"context"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/refs"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// catalogueView lists the species that the kitchen knows.
type catalogueView struct {
	Query   string
	Own     bool // only those that it made
	Species []species.Species
	All     int
}

// catalogue lists the species that the kitchen knows, or what a search finds.
func (s *Server) catalogue(c *gin.Context) {
	catalogue := kitchen.ActorFrom(c.Request.Context()).Site.Catalogue()
	v := catalogueView{Query: strings.TrimSpace(c.Query("q")), Own: c.Query("own") != "", Species: catalogue.All(), All: len(catalogue.All())}
	if v.Query != "" {
		v.Species = catalogue.Search(v.Query, v.All)
	}
	if v.Own {
		v.Species = slices.DeleteFunc(slices.Clone(v.Species), func(x species.Species) bool { return x.House == nil })
	}
	s.show(c, http.StatusOK, "catalogue", s.page(c, "Species", "records", v))
}

// speciesPage is one species with all that is known of it, and where from.
type speciesPage struct {
	form.Back
	species.Species
	Kin      species.Species // of one of the kitchen's own; its ID is "" where it has none
	Versions []kitchen.SpeciesVersion
	Fish     template.HTML
}

// fact is what the catalogue says of a species, with its source.
type fact struct {
	Name, Value string
	Source      refs.Cited
}

// factGroup is facts that belong together.
type factGroup struct {
	Name  string
	Facts []fact
}

func percents(r species.Range) string {
	return fmt.Sprintf("%s–%s %%", unit.Number(100*r.Lo, 0), unit.Number(100*r.Hi, 0))
}

func flesh(c species.Composition) string {
	return fmt.Sprintf("water %s, protein %s, fat %s, ash %s %%", unit.Number(100*c.Water, 1), unit.Number(100*c.Protein, 1),
		unit.Number(100*c.Fat, 1), unit.Number(100*c.Ash, 1))
}

// keeps is a life in ice, in days.
func keeps(r species.Range) string {
	days := func(v float64) string { return strconv.FormatFloat(math.Round(10*v)/10, 'f', -1, 64) }
	return days(r.Lo) + "–" + days(r.Hi)
}

// words are the choices of a field of a species, by what is stored.
var words = map[string][]form.Option{
	"body": {{ID: "round", Name: "Round: two fillets"}, {ID: "flat", Name: "Flat: four fillets"}, {ID: "tail", Name: "Sold as a tail"},
		{ID: "large_pelagic", Name: "Large: loins"}, {ID: "ray", Name: "Ray: wings"}},
	"group":     {{ID: "white", Name: "White fish"}, {ID: "blue", Name: "Blue (oily) fish"}, {ID: "shark", Name: "Sharks and rays"}},
	"habitat":   {{ID: "temperate", Name: "Cold and temperate"}, {ID: "warm", Name: "Warm"}, {ID: "mixed", Name: "Mixed, or not known: the faster rate"}},
	"fat_class": {{ID: "lean", Name: "Lean"}, {ID: "medium", Name: "Medium"}, {ID: "fatty", Name: "Fatty"}},
	"histamine_former": {{ID: "no", Name: "Does not form histamine"}, {ID: "watched", Name: "Watched: under the histamine rules"},
		{ID: "yes", Name: "Forms histamine"}},
	"parasite_concern": {{ID: "low", Name: "Low"}, {ID: "high", Name: "High"}},
	"sale_restriction": {{ID: "", Name: "None"}, {ID: "warn", Name: "Only with a warning to the guest"}, {ID: "refuse", Name: "May not be sold"}},
	"yield_of": {{ID: "whole", Name: "the whole fish"}, {ID: "gutted", Name: "the gutted fish"}, {ID: "headed_gutted", Name: "the headed and gutted fish"},
		{ID: "tail", Name: "the tail"}},
}

// word is a choice in words.
func word(field, id string) string {
	for _, o := range words[field] {
		if o.ID == id {
			return o.Name
		}
	}
	return id
}

func yes(is bool, text string) string {
	if is {
		return text
	}
	return "no"
}

// Groups are the facts of the species.
func (v speciesPage) Groups() []factGroup {
	s := v.Species
	source := func(field string) refs.Cited {
		if own, ok := s.Origin["all fields"]; ok {
			return own
		}
		return s.Origin[field]
	}
	farmed := func(of species.Species, text func(species.Species) string) string {
		if s.Farmed == nil || text(s) == text(of) {
			return text(s)
		}
		return "wild: " + text(s) + "; farmed: " + text(of)
	}
	as := s.AsFarmed()
	groups := []factGroup{
		{"What it is", []fact{{"Scientific name", s.Scientific, source("scientific")}, {"Family", s.Family, source("scientific")},
			{"Build", word("body", string(s.Body)), source("body")}, {"Graded as", word("group", s.Group), source("group")}}},
		{"How it keeps", []fact{{"In melting ice", farmed(as, func(x species.Species) string { return keeps(x.ShelfLife) + " days" }), source("shelf_life")},
			{"Waters", word("habitat", s.Habitat), source("habitat")}, {"Sheds scales when fresh", yes(s.LooseScales, "yes"), source("loose_scales")}}},
		{"Hazards", []fact{{"Histamine", word("histamine_former", string(s.Histamine)), source("histamine")},
			{"Parasites", farmed(as, func(x species.Species) string { return word("parasite_concern", string(x.Parasite)) }), source("parasite")},
			{"Ciguatera", yes(s.Ciguatera, "of the reefs: its waters are asked for"), source("ciguatera")},
			{"Mercury", yes(s.Mercury, "some guests are advised against it"), source("mercury")},
			{"Sale", word("sale_restriction", string(s.Sale)), source("sale")}}},
		{"Flesh", []fact{{"Fat", farmed(as, func(x species.Species) string { return word("fat_class", x.Fat) }), source("fat")},
			{"Made of", farmed(as, func(x species.Species) string { return flesh(x.Composition) }), source("composition")}}},
		{"Yield, of " + word("yield_of", string(s.YieldOf)), []fact{{"Fillets, skin on", percents(s.SkinOn), source("yields")},
			{"Fillets, skinless", percents(s.Skinless), source("yields")},
			{"Lost by gutting", unit.Number(100*s.GutLoss, 0) + " % of the whole fish", source("losses")},
			{"Lost by heading, too", unit.Number(100*s.HeadLoss, 0) + " % of the whole fish", source("losses")},
			{"Frames make clear stock", yes(s.Stock, "yes"), source("stock")}}},
	}
	var spawns []fact
	for _, at := range s.Spawns {
		spawns = append(spawns, fact{at.Area, time.Month(at.From).String() + " to " + time.Month(at.To).String() + ": softer flesh", source("spawns")})
	}
	if spawns != nil {
		groups = append(groups, factGroup{"Spawns", spawns})
	}
	return groups
}

// Called are the names of the species beside its own, with where they are used.
func (v speciesPage) Called() string {
	var names []string
	for _, n := range v.Names {
		if n.Region != "" {
			names = append(names, n.Text+" ("+n.Region+")")
		} else {
			names = append(names, n.Text)
		}
	}
	if v.House != nil {
		names = append(names, v.Aliases...)
	}
	return strings.Join(names, ", ")
}

// Shared are the names that other species have too.
func (v speciesPage) Shared() string { return strings.Join(v.Also, ", ") }

// Choices are the choices of a field.
func (speciesPage) Choices(field string) []form.Option { return words[field] }

// Percent writes a share for a field.
func (speciesPage) Percent(share float64) string { return unit.Number(100*share, 2) }

// AliasLines are the other names of the species, one a line.
func (v speciesPage) AliasLines() string { return strings.Join(v.Aliases, "\n") }

func (s *Server) findSpecies(c *gin.Context) (speciesPage, bool) {
	catalogue := kitchen.ActorFrom(c.Request.Context()).Site.Catalogue()
	sp, ok := catalogue.Get(c.Param("species"))
	v := speciesPage{Species: sp}
	if !ok {
		s.fail(c, kitchen.ErrNotFound)
		return v, false
	}
	v.Fish = drawing.Picture{Subject: drawing.Subject{Figure: sp.Figure, Form: "whole"}}.Draw()
	if sp.House != nil {
		v.Kin, _ = catalogue.Get(sp.House.Kin)
		var err error
		if v.Versions, err = s.kitchen.SpeciesVersions(c.Request.Context(), sp.ID); err != nil {
			s.fail(c, err)
			return v, false
		}
	}
	return v, true
}

func (s *Server) showSpecies(c *gin.Context, v speciesPage) {
	s.show(c, v.Status(), "species", s.page(c, v.Name, "records", v))
}

// species shows one species.
func (s *Server) species(c *gin.Context) {
	if v, ok := s.findSpecies(c); ok {
		s.showSpecies(c, v)
	}
}

// copySpecies makes a species of the kitchen's own by another one.
func (s *Server) copySpecies(c *gin.Context) {
	v, ok := s.findSpecies(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "copy"
	s.post(c, f, func(ctx context.Context) (string, error) {
		sp, err := s.kitchen.CopySpecies(ctx, v.ID, f.Text("name"))
		return "/records/species/" + url.PathEscape(sp.ID), err
	}, func(back form.Back) {
		v.Back = back
		s.showSpecies(c, v)
	})
}

// saveSpecies keeps an edited species of the kitchen's own as its next version.
func (s *Server) saveSpecies(c *gin.Context) {
	v, ok := s.findSpecies(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "edit"
	edited := f.ownSpecies(v.Species)
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/records/species/" + url.PathEscape(v.ID), s.kitchen.SaveSpecies(ctx, edited)
	}, func(back form.Back) {
		v.Back = back
		s.showSpecies(c, v)
	})
}

// ownSpecies reads the form over a species of the kitchen's own: what the form does not show stays.
func (f *input) ownSpecies(s species.Species) species.Species {
	if s.House == nil {
		return s
	}
	house := *s.House
	s.House = &house
	house.Version = f.MustWhole("version")
	s.House.Version, s.House.Note = house.Version, f.Text("note")
	s.Name, s.Aliases, s.Scientific = f.Text("name"), f.Lines("aliases"), f.Text("scientific")
	s.Body, s.Group, s.Habitat, s.Fat = species.Body(f.Text("body")), f.Text("group"), f.Text("habitat"), f.Text("fat_class")
	s.Histamine, s.Parasite = species.Histamine(f.Text("histamine_former")), species.Concern(f.Text("parasite_concern"))
	s.Sale, s.YieldOf = species.Sale(f.Text("sale_restriction")), species.Basis(f.Text("yield_of"))
	s.Ciguatera, s.Mercury = f.Has("ciguatera_concern"), f.Has("mercury_concern")
	s.Stock, s.LooseScales = f.Has("frames_make_stock"), f.Has("loose_scales")
	s.ShelfLife = species.Range{Lo: f.MustNumber("shelf_lo", "d"), Hi: f.MustNumber("shelf_hi", "d")}
	share := func(field string) float64 { return f.MustNumber(field, "%") / 100 }
	s.Composition = species.Composition{Water: share("water"), Protein: share("protein"), Fat: share("fat"), Ash: share("ash")}
	s.SkinOn = species.Range{Lo: share("skin_on_lo"), Hi: share("skin_on_hi")}
	s.Skinless = species.Range{Lo: share("skinless_lo"), Hi: share("skinless_hi")}
	s.GutLoss, s.HeadLoss = share("gutting_loss"), share("heading_loss")
	return s
}
