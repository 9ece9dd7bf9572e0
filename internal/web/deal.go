package web

import (
	"fmt"
	"math"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/planning"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// dealView is the page on which an offer is held against what the kitchen can use of it.
type dealView struct {
	form.Back
	Check *kitchen.DealCheck // nil while it is not whole
}

func (s *Server) dealForm(c *gin.Context) {
	s.showDeal(c, form.Back{Values: url.Values{"form": {"gutted"}}})
}

// deal works out the offer as it is typed: nothing is stored.
func (s *Server) deal(c *gin.Context) {
	f := posted(c)
	back := form.Back{Values: f.Values, Sent: true, Quiet: f.Follows()}
	o := kitchen.DealOffer{Form: f.Text("form"), Frozen: f.Has("frozen"), CentsPerKg: float64(f.Cents("price")), Kg: f.MassOrNone("weight_kg"),
		FishKg: f.MassOrNone("fish_kg"), WeeklyKg: f.Mass("weekly_kg"), SpeciesID: f.species("species").ID}
	if o.SpeciesID == "" && f.Has("species") && f.Bad.On("species") == "" {
		f.Bad.Add("species", "is not in the catalogue")
	}
	back.Mark(f.Bad)
	if o.SpeciesID == "" || o.Kg == 0 || len(f.Bad) > 0 {
		if !back.Quiet && len(back.Errors) == 0 {
			back.Mark(invalid.Errors{{Field: "species", Message: "say which fish"}, {Field: "weight_kg", Message: "say how much is offered"}})
		}
		s.showDeal(c, back)
		return
	}
	check, err := s.kitchen.CheckDeal(c.Request.Context(), o)
	if bad, ok := err.(invalid.Errors); ok {
		back.Mark(bad)
		s.showDeal(c, back)
		return
	} else if err != nil {
		s.fail(c, err)
		return
	}
	s.showDealCheck(c, dealView{Back: back, Check: &check})
}

func (s *Server) showDeal(c *gin.Context, back form.Back) { s.showDealCheck(c, dealView{Back: back}) }

func (s *Server) showDealCheck(c *gin.Context, v dealView) {
	p := s.page(c, "Deal", "deliveries", nil)
	p.InForm = true
	p.Data = v
	status := v.Status()
	if v.Check != nil {
		status = http.StatusOK
	}
	s.show(c, status, "deal", p)
}

// Says is what the deal comes to, in a word.
func (v dealView) Says(p page) string {
	w := v.Check.Worth
	if w.Limit == planning.LimitNone {
		return "Buy all of it: " + p.Mass(v.Check.Kg)
	}
	if w.Kg() < 0.1 {
		return "Leave it"
	}
	return fmt.Sprintf("Buy %s, not %s", p.Mass(math.Floor(10*w.Kg())/10), p.Mass(v.Check.Kg))
}

// Why is why not more, in words.
func (v dealView) Why(p page) string {
	c := v.Check
	switch c.Worth.Limit {
	case planning.LimitUse:
		return fmt.Sprintf("more is not eaten in time: you use %s a week", p.Mass(c.Deal.WeeklyKg))
	case planning.LimitRoom:
		return fmt.Sprintf("%s has room for %s", c.Freezer.Name, p.Mass(math.Max(0, c.Deal.RoomKg)))
	case planning.LimitAtOnce:
		return fmt.Sprintf("%s freezes %s at once quickly", c.Freezer.Name, p.Mass(c.Deal.AtOnceKg))
	case planning.LimitFreeze:
		return "there is no freezer for the rest"
	}
	return ""
}

// Against is the price against the usual one, in words; "" where none is known.
func (v dealView) Against(p page) string {
	c := v.Check
	if len(c.Usual) == 0 || c.CentsPerKg == 0 {
		return ""
	}
	u := c.Usual[0]
	for _, x := range c.Usual {
		if x.Lots > u.Lots {
			u = x
		}
	}
	change := 100 * (c.CentsPerKg/u.CentsPerKg - 1)
	word := "dearer than"
	if change < 0 {
		word = "below"
	}
	return fmt.Sprintf("%.0f %% %s the usual %s of %s", math.Abs(change), word, p.PerMass(u.CentsPerKg), u.Supplier)
}
