package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// sheetView is tonight's sheet: what the floor tells the guests.
type sheetView struct {
	kitchen.PlannedService
	Lines []sheetLine
	Raw   bool // something is served raw
}

// sheetLine is a dish on it.
type sheetLine struct {
	kitchen.PlannedDish
	Fish     []string // where the fish of each lot comes from
	Warnings []string
}

// Advisory is what the menu says beside raw fish.
func (sheetView) Advisory() string { return safety.RawAdvisory }

// serviceSheet shows tonight's sheet.
func (s *Server) serviceSheet(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	ctx := c.Request.Context()
	planned, err := s.kitchen.PlannedService(ctx, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	p, v := s.page(c, "Sheet", "service", nil), sheetView{PlannedService: planned}
	for _, d := range planned.Dishes {
		line := sheetLine{PlannedDish: d}
		v.Raw = v.Raw || d.Raw
		for _, r := range d.Reserved {
			if r.Against != "" {
				continue
			}
			card, err := s.kitchen.Card(ctx, r.LotID)
			if err != nil {
				s.fail(c, err)
				return
			}
			add := func(list *[]string, text string) {
				if text != "" && !slices.Contains(*list, text) {
					*list = append(*list, text)
				}
			}
			add(&line.Fish, sheetOrigin(card))
			for _, w := range guestWarnings(card.State) {
				add(&line.Warnings, w)
			}
		}
		v.Lines = append(v.Lines, line)
	}
	p.Data = v
	s.show(c, http.StatusOK, "sheet", p)
}

// sheetOrigin is where the fish of a lot comes from, in words: species, wild or farmed, waters and gear, from whom, in ice since when.
func sheetOrigin(card kitchen.Card) string {
	s := card.State
	sp := s.Species()
	parts := []string{sp.Name}
	if sp.Scientific != "" {
		parts[0] += " (" + sp.Scientific + ")"
	}
	switch s.Declared.Origin {
	case lot.Wild:
		parts = append(parts, "caught")
	case lot.Farmed:
		parts = append(parts, "farmed")
	}
	if caught := s.Harvest.Caught; caught != nil {
		parts = append(parts, caught.Data.Area)
		for _, g := range lot.Gears {
			if g.ID == caught.Data.Gear {
				parts = append(parts, strings.ToLower(g.Name))
			}
		}
	}
	if card.DeliveryNote.Supplier != "" {
		parts = append(parts, "from "+card.DeliveryNote.Supplier)
	}
	return strings.Join(slices.DeleteFunc(parts, func(t string) bool { return t == "" }), ", ")
}

// guestWarnings are what a guest is told of a lot: its allergens, and what else the kitchen owes them.
func guestWarnings(s *lot.State) []string {
	sp := s.Species()
	list := []string{"Contains " + strings.Join(append([]string{sp.Allergen()}, s.Allergens()...), ", ")}
	if len(s.FrozenStays) > 0 {
		list = append(list, "Previously frozen")
	}
	if sp.Sale == species.SaleWarn {
		list = append(list, "Oily wax: warn the guest")
	}
	if sp.Mercury {
		list = append(list, "Mercury: not for everyone")
	}
	return list
}

// PlatesLeft is how many plates of a dish there are to sell, in words.
func (page) PlatesLeft(d kitchen.PlannedDish) string {
	if n := d.There(); n > 0 {
		return fmt.Sprintf("%d", n)
	}
	return "off"
}
