package web

import (
	"context"
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// supplierView is the page of a supplier, with the form that says what it is.
type supplierView struct {
	form.Back
	kitchen.SupplierSummary
	page  page
	Boxes []kitchen.UsualPrice // what it sells, with what its boxes hold; one a species and form
}

// Kinds are what a supplier may be.
func (supplierView) Kinds() []form.Option {
	return []form.Option{{ID: kitchen.Boat, Name: "a boat, or not known"},
		{ID: kitchen.Dealer, Name: "a dealer with an approval number"}}
}

// Until is how long a dealer's approval is valid, for its field.
func (v supplierView) Until() string {
	if v.ApprovedTo == nil {
		return ""
	}
	return v.ApprovedTo.Format(time.DateOnly)
}

// Is is what the supplier is, in words.
func (v supplierView) Is() string {
	switch {
	case v.Kind != kitchen.Dealer:
		return "Taken for a boat: of histamine formers the harvest record is asked."
	case v.ApprovedTo == nil || v.page.Now.After(v.ApprovedTo.AddDate(0, 0, 1)):
		return "A dealer whose number has run out: its fish counts as a boat's."
	}
	return fmt.Sprintf("A dealer, %s, to %s: its fish came through a first receiver's gate.", v.Approval, v.page.Day(*v.ApprovedTo))
}

// Plot draws the age gaps of a species over time.
func (v supplierView) Plot(s kitchen.SupplierSpecies) template.HTML {
	var points []drawing.GapPoint
	for _, r := range s.Rows {
		points = append(points, drawing.GapPoint{At: r.ReceivedAt, Days: *r.GapDays, Href: v.page.Base + "/lots/" +
			r.LotID.String(),
			Label: fmt.Sprintf("%s, %s: %s fresh days", r.Code, v.page.Stamp(r.ReceivedAt),
				unit.Signed(*r.GapDays, 1))})
	}
	return drawing.AgeGaps(points, s.Consistency, v.page.Zone)
}

// Delivers is when the supplier delivers, in words.
func (v supplierView) Delivers() string {
	days := "any day"
	if len(v.Days) > 0 {
		var names []string
		for _, d := range weekdays() {
			if slices.ContainsFunc(v.Days, func(day time.Weekday) bool { return strconv.Itoa(int(day)) == d.ID }) {
				names = append(names, d.Name)
			}
		}
		days = strings.Join(names, ", ")
	}
	before := fmt.Sprintf("%s before", plural(v.OrderDays, "day"))
	if v.OrderDays == 0 {
		before = "the same day"
	}
	return fmt.Sprintf("%s, about %s; order by %s %s.", days, v.Arrives, v.OrderBy, before)
}

// DayOptions are the weekdays, those of its deliveries chosen while the form is untouched.
func (v supplierView) DayOptions() []form.Option {
	list := weekdays()
	for i, d := range list {
		list[i].Chosen = slices.ContainsFunc(v.Days, func(day time.Weekday) bool { return strconv.Itoa(int(day)) == d.ID })
	}
	return list
}

// ComplaintCount counts the complaints in words.
func (v supplierView) ComplaintCount() string { return plural(len(v.Complaints), "complaint") }

// Few names the species with too few lots to draw.
func (v supplierView) Few() string {
	var names []string
	for _, s := range v.Species {
		if !s.Drawable() {
			names = append(names, fmt.Sprintf("%s (%d)", s.Name, len(s.Rows)))
		}
	}
	return strings.Join(names, ", ")
}

// Says is what the gaps of a species come to, in words.
func (supplierView) Says(s kitchen.SupplierSpecies) string {
	c := s.Consistency
	switch {
	case !c.Enough():
		return fmt.Sprintf("too few to tell: %s of at least %d", plural(c.Lots, "lot"), freshness.FewestLots)
	case !c.Differs():
		return "agrees with its papers, within the band"
	case c.Mean > 0:
		return "older than its papers, on average"
	}
	return "fresher than its papers, on average"
}

// suppliersView lists the suppliers, with the form of the wage.
type suppliersView struct {
	List []kitchen.SupplierCount
	form.Back
}

func (s *Server) suppliers(c *gin.Context) {
	s.showSuppliers(c, form.Back{})
}

func (s *Server) showSuppliers(c *gin.Context, back form.Back) {
	p, v := s.page(c, "Suppliers", "records", nil), suppliersView{Back: back}
	var err error
	if v.List, err = s.kitchen.Suppliers(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, v.Status(), "suppliers", p)
}

// setWage keeps what an hour of rework counts.
func (s *Server) setWage(c *gin.Context) {
	f := posted(c)
	cents := f.Cents("wage")
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/suppliers", s.kitchen.SetWage(ctx, cents)
	}, func(back form.Back) { s.showSuppliers(c, back) })
}

func (s *Server) supplier(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	s.showSupplier(c, id, form.Back{})
}

func (s *Server) showSupplier(c *gin.Context, id int64, back form.Back) {
	supplied, err := s.kitchen.Supplier(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, supplied.Name, "records", nil)
	v := supplierView{Back: back, SupplierSummary: supplied, page: p}
	prices, err := s.kitchen.UsualPrices(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, x := range prices {
		if x.SupplierID == id && !slices.ContainsFunc(v.Boxes, func(y kitchen.UsualPrice) bool { return supplierBoxField(y) == supplierBoxField(x) }) {
			v.Boxes = append(v.Boxes, x)
		}
	}
	p.Data = v
	s.show(c, back.Status(), "supplier", p)
}

// supplierBoxField is the name of the field for a box of such fish.
func supplierBoxField(u kitchen.UsualPrice) string {
	return kitchen.Box{Species: u.Species.ID, Form: u.Form}.Field()
}

// BoxField is that, for the page.
func (supplierView) BoxField(u kitchen.UsualPrice) string { return supplierBoxField(u) }

// setBoxes says what a supplier's boxes hold.
func (s *Server) setBoxes(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	prices, err := s.kitchen.UsualPrices(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	f := posted(c)
	f.form = "boxes"
	var boxes []kitchen.Box
	for _, x := range prices {
		if field := supplierBoxField(x); x.SupplierID == id && f.Values.Has(field) {
			boxes = append(boxes, kitchen.Box{Species: x.Species.ID, Form: x.Form, Kg: f.MassOrNone(field)})
		}
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return fmt.Sprintf("/suppliers/%d", id), s.kitchen.SetBoxes(ctx, id, boxes)
	}, func(back form.Back) { s.showSupplier(c, id, back) })
}

// setSupplierKind says whether a supplier is a boat or a dealer.
func (s *Server) setSupplierKind(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	in := kitchen.SupplierKind{ID: id, Kind: f.Text("kind"), Approval: f.Text("approval")}
	if in.Kind == kitchen.Dealer && f.Text("approved_to") != "" {
		day := f.Day("approved_to")
		in.ApprovedTo = &day
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return fmt.Sprintf("/suppliers/%d", id), s.kitchen.SetSupplierKind(ctx, in)
	}, func(back form.Back) {
		s.showSupplier(c, id, back)
	})
}
