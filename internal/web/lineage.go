package web

import (
	"fmt"
	"html/template"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// lineageView is what the fish of a lot was before, and what it became.
type lineageView struct {
	Of kitchen.LineageLot
	kitchen.Lineage
}

func (s *Server) lineage(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	l, err := s.kitchen.Lineage(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := lineageView{Lineage: l}
	v.Of = l.Lots[slices.IndexFunc(l.Lots, func(x kitchen.LineageLot) bool { return x.LotID == id })]
	p := s.page(c, v.Of.Code, "records", v)
	s.show(c, 200, "lineage", p)
}

// Drawn is the way of the fish, from who delivered it to where it went.
func (v lineageView) Drawn(p page) template.HTML {
	return lineageGraph(p, v.Lineage, v.Of.LotID).Draw()
}

// lineageGraph draws lots with their deliveries and where their fish went; one lot stands out.
func lineageGraph(p page, l kitchen.Lineage, of uuid.UUID) drawing.Graph {
	g := drawing.Graph{Label: "Where it came from, and where it went"}
	box := func(b drawing.Box) int {
		g.Boxes = append(g.Boxes, b)
		return len(g.Boxes) - 1
	}
	link := func(from, to int) { g.Links = append(g.Links, drawing.Link{From: from, To: to}) }
	lots, came := map[uuid.UUID]int{}, map[string]int{}
	parts := map[uuid.UUID]bool{}
	for _, x := range l.Links {
		parts[x.To] = parts[x.To] || !x.Together
	}
	for _, x := range l.Lots {
		b := drawing.Box{Title: x.Species.Name + " " + x.Code, Href: fmt.Sprintf("%s/lots/%s", p.Base, x.LotID), Class: "graph-lot",
			Lines: []string{formWords(x.State.Received.Form, false), p.Here(x)}}
		if x.LotID == of {
			b.Class = "graph-this"
		}
		lots[x.LotID] = box(b)
	}
	for _, x := range l.Links {
		from, here := lots[x.From]
		if to, there := lots[x.To]; here && there {
			link(from, to)
		}
	}
	for _, x := range l.Lots {
		at := lots[x.LotID]
		if x.CameWith != nil {
			link(box(drawing.Box{Title: "from " + x.CameWith.OtherName, Lines: []string{p.When(x.CameWith.At)}, Class: "graph-end"}), at)
		} else if !parts[x.LotID] {
			key := x.DocketID.String()
			if _, ok := came[key]; !ok {
				came[key] = box(drawing.Box{Title: x.Supplier, Lines: []string{x.Reference, p.Stamp(x.ReceivedAt)}, Class: "graph-end",
					Href: fmt.Sprintf("%s/deliveries/%s", p.Base, x.DocketID)})
			}
			link(came[key], at)
		}
		for _, t := range x.Sent {
			link(at, box(drawing.Box{Title: "to " + t.OtherName, Lines: []string{p.Mass(t.Kg), p.When(t.At)}, Class: "graph-end"}))
		}
		for _, r := range x.Services {
			link(at, box(drawing.Box{Title: r.Dish, Lines: []string{plural(r.Plates, "plate") + ", " + p.When(r.At)}, Class: "graph-end"}))
		}
		for _, e := range exitsByUse(x.State) {
			if e.EndUse != lot.UsedMoved {
				link(at, box(drawing.Box{Title: e.Words, Lines: []string{p.Mass(e.Kg) + ", " + p.When(e.At)}, Class: "graph-end"}))
			}
		}
	}
	return g
}

// exit is what left a lot for one use, put together.
type exit struct {
	lot.Exit // the last of it
	Words    string
}

// exitsByUse adds up what left a lot, by use.
func exitsByUse(s *lot.State) (list []exit) {
	for _, e := range s.Exits {
		if e.Form != "" && e.EndUse == lot.UsedWaste { // the bin beside the board
			continue
		}
		i := slices.IndexFunc(list, func(x exit) bool { return x.EndUse == e.EndUse })
		if i < 0 {
			list = append(list, exit{e, e.EndUse.Name()})
			continue
		}
		list[i].Kg, list[i].Count, list[i].At = list[i].Kg+e.Kg, list[i].Count+e.Count, e.At
	}
	return list
}

// Here says what of a lot is still here.
func (p page) Here(x kitchen.LineageLot) string {
	switch {
	case !x.IsOnHand():
		return x.StatusName()
	case x.OnHold():
		return fmt.Sprintf("%s here, on hold", p.Mass(x.WeightKg))
	}
	return fmt.Sprintf("%s here, %s", p.Mass(x.WeightKg), x.Place)
}

// Went says where the fish of a lot went, in a line each.
func (p page) Went(x kitchen.LineageLot) (list []string) {
	for _, e := range exitsByUse(x.State) {
		if e.EndUse == lot.UsedMoved && len(x.Sent) > 0 {
			continue
		}
		text := fmt.Sprintf("%s %s, %s", p.Mass(e.Kg), e.Words, p.When(e.At))
		if e.Note != "" {
			text += " (" + e.Note + ")"
		}
		list = append(list, text)
	}
	for _, r := range x.Services {
		list = append(list, fmt.Sprintf("%s of %s, %s", plural(r.Plates, "plate"), r.Dish, p.When(r.At)))
	}
	for _, t := range x.Sent {
		list = append(list, fmt.Sprintf("%s to %s, %s", p.Mass(t.Kg), t.OtherName, p.When(t.At)))
	}
	return list
}

// CameAs says what a lot came as: of a supplier, or of a lot.
func (p page) CameAs(x kitchen.LineageLot) string {
	text := strings.TrimSpace(x.Supplier + " " + x.Reference)
	if n := x.State.Received.SupplierLot; n != "" {
		text += ", their lot " + n
	}
	return text
}
