package web

import (
	"cmp"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

// wasteWeeks is how many weeks of waste are shown, the one that runs included.
const wasteWeeks = 8

// wasteView is what was lost in the last weeks.
type wasteView struct {
	Lost  []kitchen.Waste
	Worth kitchen.Worth
	All   wasteSum
	// each with the share of the largest
	Weeks, Reasons, Suppliers []wasteSum
}

// wasteSum adds up some of it.
type wasteSum struct {
	Name  string
	Kg    float64
	Cents float64
	// some of it has no price, some has one
	Unpriced, Priced bool
	Share            float64
	order            int
}

func (w *wasteSum) add(x kitchen.Waste) {
	w.Kg += x.Kg
	w.Cents += x.Cents
	w.Unpriced, w.Priced = w.Unpriced || !x.Priced, w.Priced || x.Priced
}

// Money is what it cost, as far as prices are known.
func (w wasteSum) Money(p page) string {
	if !w.Priced && w.Kg > 0 {
		return "no price"
	}
	text := p.Cost(w.Cents)
	if w.Unpriced {
		text += " and more"
	}
	return text
}

// Cost and Why are of one entry.
func (wasteView) Cost(p page, x kitchen.Waste) string {
	return wasteSum{Kg: x.Kg, Cents: x.Cents, Priced: x.Priced}.Money(p)
}
func (wasteView) Why(x kitchen.Waste) string {
	if x.Reason == "" {
		return commas(x.EndUse.Name(), x.Note)
	}
	return commas(x.Reason.Name(), x.Note)
}

// waste shows what was lost, in kilograms and in money, by week, reason and supplier.
func (s *Server) waste(c *gin.Context) {
	p := s.page(c, "Waste", "records", nil)
	monday := mondayOf(p.Now.In(p.Zone))
	lost, err := s.kitchen.Waste(c.Request.Context(), monday.AddDate(0, 0, -7*(wasteWeeks-1)))
	if err != nil {
		s.fail(c, err)
		return
	}
	v := wasteView{Lost: lost, All: wasteSum{Name: "In all"}}
	if v.Worth, err = s.kitchen.Worth(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	weeks := map[string]*wasteSum{}
	for n := range wasteWeeks {
		begin := monday.AddDate(0, 0, -7*n)
		weeks[begin.Format(time.DateOnly)] = &wasteSum{Name: begin.Format("from Mon 2 Jan"), order: n}
	}
	reasons, suppliers := map[string]*wasteSum{}, map[string]*wasteSum{}
	for _, x := range lost {
		v.All.add(x)
		weeks[mondayOf(x.At.In(p.Zone)).Format(time.DateOnly)].add(x)
		sumOf(reasons, wasteReason(x.Exit)).add(x)
		sumOf(suppliers, x.Supplier).add(x)
	}
	v.Weeks, v.Reasons, v.Suppliers = sorted(weeks), sorted(reasons), sorted(suppliers)
	p.Data = v
	s.show(c, http.StatusOK, "waste", p)
}

// mondayOf is the midnight that began the week of a time, where it is.
func mondayOf(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d-(int(t.Weekday())+6)%7, 0, 0, 0, 0, t.Location())
}

func sumOf(sums map[string]*wasteSum, name string) *wasteSum {
	if sums[name] == nil {
		sums[name] = &wasteSum{Name: name}
	}
	return sums[name]
}

// sorted are the sums, weeks in their order and the others by weight, with their shares of the largest.
func sorted(sums map[string]*wasteSum) []wasteSum {
	var list []wasteSum
	most := 0.0
	for _, x := range sums {
		most = max(most, x.Kg)
		list = append(list, *x)
	}
	for i := range list {
		list[i].Share = list[i].Kg / max(most, 1e-9)
	}
	slices.SortFunc(list, func(a, b wasteSum) int {
		return cmp.Or(cmp.Compare(a.order, b.order), cmp.Compare(b.Kg, a.Kg), cmp.Compare(a.Name, b.Name))
	})
	return list
}

// wasteReason is why it was lost, in words.
func wasteReason(x lot.Exit) string {
	switch {
	case x.EndUse == lot.NotCounted:
		return x.EndUse.Name()
	case x.Reason == "":
		return "discarded whole, for a reason in its note"
	}
	return x.Reason.Name()
}
