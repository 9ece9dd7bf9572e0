package web

import (
	"context"
	"fmt"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// fixView is the ways to mend a shortage.
type fixView struct {
	form.Back
	Service kitchen.PlannedService
	Dish    kitchen.PlannedDish
	Fixes   []kitchen.Fix
}

// Title is what a way is, in words.
func (v fixView) Title(f kitchen.Fix) string {
	switch f.Kind {
	case kitchen.FixReserve:
		return fmt.Sprintf("Reserve the %d that are free", v.Dish.FreePlates())
	case kitchen.FixAsk:
		var list []string
		for _, x := range f.Spare {
			list = append(list, fmt.Sprintf("%d × %s from %s", x.Fish, x.Species, x.FromName))
		}
		return "Ask for " + strings.Join(list, " and ")
	case kitchen.FixBuy:
		if f.Buy.Fish > 0 {
			return fmt.Sprintf("Buy %d × %s from %s", f.Buy.Fish, f.Buy.Species.Name, f.Buy.Supplier)
		}
		return fmt.Sprintf("Buy %s from %s", f.Buy.Species.Name, f.Buy.Supplier)
	case kitchen.FixFewer:
		return fmt.Sprintf("Print %d plates", f.Plates)
	}
	return string(f.Kind)
}

// More says what comes with a way.
func (v fixView) More(p page, f kitchen.Fix) string {
	switch f.Kind {
	case kitchen.FixReserve:
		return "fit then, first to end first"
	case kitchen.FixAsk:
		return fmt.Sprintf("%s and %s; they send it in ice, its core temperature is measured here", f.Spare[0].Code, p.Mass(f.Spare[0].Kg))
	case kitchen.FixBuy:
		text := fmt.Sprintf("%s, comes %s, order by %s, inspected on arrival: %.0f in 10 of its lots were good", p.Mass(f.Buy.WholeKg), p.When(f.Buy.Slot.At),
			p.When(f.Buy.Slot.OrderBy), 10*f.Buy.Accepted())
		if f.Buy.Seasons != "" {
			text += "; " + f.Buy.Seasons
		}
		return text
	case kitchen.FixFewer:
		return fmt.Sprintf("%d guests go without on an average evening", int(v.Dish.Asked.Short(float64(f.Plates))+0.5))
	}
	return ""
}

// Sure is how sure a way is, in words.
func (fixView) Sure(f kitchen.Fix) string {
	return fmt.Sprintf("%d plates: %s", f.Plates, runsOut(f.Sure))
}

func (s *Server) fix(c *gin.Context) {
	if service, dish, ok := s.dishID(c); ok {
		s.showFix(c, service, dish, form.Back{})
	}
}

func (s *Server) showFix(c *gin.Context, service, dish uuid.UUID, back form.Back) {
	p := s.page(c, "Fix", "service", nil)
	v := fixView{Back: back}
	var err error
	if v.Service, v.Dish, v.Fixes, err = s.kitchen.Fixes(c.Request.Context(), service, dish); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "fix", p)
}

// mend books a way.
func (s *Server) mend(c *gin.Context) {
	service, dish, ok := s.dishID(c)
	if !ok {
		return
	}
	f := posted(c)
	id, way := f.UUID("new_id"), kitchen.FixKind(f.MustChoose("way", "choose a way"))
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/service?one=" + service.String(), s.kitchen.Mend(ctx, id, service, dish, way)
	}, func(back form.Back) { s.showFix(c, service, dish, back) })
}
