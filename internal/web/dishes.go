package web

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// dishesView is the menu.
type dishesView struct{ Dishes []kitchen.Dish }

// Species are the names of the species that a dish may be of.
func (dishesView) Species(p page, d kitchen.Dish) string {
	var names []string
	for _, id := range d.Dish.Species {
		names = append(names, p.SpeciesOf(id).Name)
	}
	return strings.Join(names, " or ")
}

func (s *Server) dishes(c *gin.Context) {
	p := s.page(c, "Dishes", "service", nil)
	list, err := s.kitchen.Dishes(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = dishesView{list}
	s.show(c, http.StatusOK, "dishes", p)
}

// dishView is the form of a dish.
type dishView struct {
	form.Back
	ID       uuid.UUID
	Known    bool // it is on the menu
	Parts    []form.Option
	Stations []form.Option
	RealG    float64 // that a plate really took, in so many services
	Real     int
}

// Choices is how many species a dish may be of, by its form.
func (dishView) Choices() []int { return []int{1, 2, 3} }

// ServedAs is how a dish may be served.
func (page) ServedAs() []form.Option {
	return []form.Option{{ID: "cook", Name: "cooked"}, {ID: "raw", Name: "raw"}}
}

// Whole reports whether the dish is one whole fish.
func (v dishView) Whole() bool { return v.Val("part") == planning.WholeFish }

// dishForm shows the form of a dish: of one that is on the menu, or of a new one.
func (s *Server) dishForm(c *gin.Context) {
	v := dishView{Back: form.Back{Values: url.Values{"part": {"fillet_skin_on"}, "pieces": {"1"}, "cut": {"90"}}}}
	if id, err := uuid.Parse(c.Param("dish")); err == nil {
		d, err := s.kitchen.Dish(c.Request.Context(), id)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.ID, v.Known, v.Values = id, true, s.page(c, "", "", nil).dishValues(d)
	} else {
		v.ID = kitchen.NewID()
	}
	s.showDish(c, v)
}

// dishValues are the fields of a dish as it is.
func (p page) dishValues(d kitchen.Dish) url.Values {
	grams := func(g float64) string {
		if g == 0 {
			return ""
		}
		return strconv.FormatFloat(g, 'f', -1, 64)
	}
	minutes := func(t float64) string {
		if t == 0 {
			return ""
		}
		return strconv.FormatFloat(t, 'f', -1, 64)
	}
	v := url.Values{"name": {d.Name}, "part": {d.Part}, "pieces": {strconv.Itoa(d.Pieces)}, "piece_g": {grams(d.PieceG)},
		"fish_lo_g": {grams(d.FishG.Lo)}, "fish_hi_g": {grams(d.FishG.Hi)}, "served": {"cook"}, "cut": {minutes(d.Cut.Minutes())},
		"salt": {minutes(d.Salt.Minutes())}, "put_up": {minutes(d.PutUp.Minutes())}}
	for i, id := range d.Dish.Species {
		v.Set(fmt.Sprintf("species-%d", i+1), p.SpeciesOf(id).Name)
	}
	if d.Raw {
		v.Set("served", "raw")
	}
	if d.Aged {
		v.Set("aged", "1")
	}
	if d.StationID != 0 {
		v.Set("station_id", strconv.FormatInt(d.StationID, 10))
	}
	if d.PriceCents > 0 {
		v.Set("price", fmt.Sprintf("%.2f", float64(d.PriceCents)/100))
	}
	return v
}

func (s *Server) showDish(c *gin.Context, v dishView) {
	p := s.page(c, "Dish", "service", nil)
	p.InForm = true
	v.Parts = partsOffered()
	places, err := s.kitchen.Places(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, x := range places {
		if !x.Freezer() && !x.AgeingCabinet() {
			v.Stations = append(v.Stations, form.Option{ID: strconv.FormatInt(x.ID, 10), Name: x.Name})
		}
	}
	if v.Known {
		kg, n, err := s.kitchen.RealPortion(c.Request.Context(), v.ID)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.RealG, v.Real = 1000*kg, n
	}
	p.Data = v
	s.show(c, v.Status(), "dish", p)
}

// saveDish adds a dish, or changes it.
func (s *Server) saveDish(c *gin.Context) {
	f := posted(c)
	d := f.dish()
	s.post(c, f, func(ctx context.Context) (string, error) { return "/service/dishes", s.kitchen.SaveDish(ctx, d) },
		func(back form.Back) {
			s.showDish(c, dishView{Back: back, ID: d.ID, Known: f.Text("known") != ""})
		})
}

// dish reads the form of a dish.
func (f *input) dish() kitchen.Dish {
	d := kitchen.Dish{ID: f.UUID("dish_id"), StationID: f.ID("station_id"), PriceCents: f.Cents("price")}
	d.Name, d.Part = f.Text("name"), f.Text("part")
	d.Raw, d.Aged = f.MustChoose("served", "say how it is served") == "raw", f.Has("aged")
	for _, i := range (dishView{}).Choices() {
		if field := fmt.Sprintf("species-%d", i); f.Has(field) {
			if sp := f.species(field); sp.ID != "" {
				d.Dish.Species = append(d.Dish.Species, sp.ID)
			}
		}
	}
	grams := func(field string) float64 {
		if n := f.Number(field, "g"); n != nil {
			return *n
		}
		return 0
	}
	if d.Part == planning.WholeFish {
		d.Pieces, d.FishG = 1, species.Range{Lo: grams("fish_lo_g"), Hi: grams("fish_hi_g")}
	} else {
		d.Pieces, d.PieceG = f.MustWhole("pieces"), grams("piece_g")
	}
	minutes := func(field string) time.Duration {
		n := f.Number(field, "min")
		if n == nil {
			return 0
		}
		return time.Duration(math.Min(*n, 1e6) * float64(time.Minute))
	}
	d.Cut, d.Salt, d.PutUp = minutes("cut"), minutes("salt"), minutes("put_up")
	return d
}

// retireDish takes a dish off the menu.
func (s *Server) retireDish(c *gin.Context) {
	id, err := uuid.Parse(c.Param("dish"))
	if err != nil {
		s.fail(c, kitchen.ErrNotFound)
		return
	}
	f := posted(c)
	f.form = "retire"
	s.post(c, f, func(ctx context.Context) (string, error) { return "/service/dishes", s.kitchen.RetireDish(ctx, id) },
		func(form.Back) { s.dishes(c) })
}
