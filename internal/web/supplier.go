package web

import (
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
)

// supplierView is the page of a supplier, with the form that says what it is.
type supplierView struct {
	formInput
	kitchen.SupplierSummary
	page page
}

// Val is what was typed of what the supplier is, or what is on record.
func (v supplierView) Val(field string) string {
	if v.Values != nil {
		return v.Values.Get(field)
	}
	switch field {
	case "kind":
		return v.Kind
	case "approval":
		return v.Approval
	}
	if v.ApprovedTo != nil {
		return v.ApprovedTo.Format(time.DateOnly)
	}
	return ""
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
	List   []kitchen.SupplierCount
	Wage   string
	Errors invalid.Errors
}

// Err is what is wrong with a field.
func (v suppliersView) Err(field string) string { return v.Errors.On(field) }

func (s *Server) suppliers(c *gin.Context) {
	p := s.page(c, "Suppliers", "records", nil)
	s.showSuppliers(c, http.StatusOK, p, suppliersView{Wage: fmt.Sprintf("%.2f", float64(p.Actor.Site.WageCents)/100)})
}

func (s *Server) showSuppliers(c *gin.Context, status int, p page, v suppliersView) {
	var err error
	if v.List, err = s.kitchen.Suppliers(c.Request.Context()); err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, status, "suppliers", p)
}

// setWage keeps what an hour of rework counts.
func (s *Server) setWage(c *gin.Context) {
	f := newForm(c)
	cents := f.cents("wage")
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.SetWage(c.Request.Context(), cents)
	}
	v := suppliersView{Wage: f.text("wage")}
	switch {
	case err == nil:
		c.Redirect(http.StatusSeeOther, s.base(c)+"/suppliers")
	case errors.As(err, &v.Errors):
		s.showSuppliers(c, http.StatusUnprocessableEntity, s.page(c, "Suppliers", "records", nil), v)
	default:
		s.fail(c, err)
	}
}

func (s *Server) supplier(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	s.showSupplier(c, http.StatusOK, id, formInput{})
}

func (s *Server) showSupplier(c *gin.Context, status int, id int64, form formInput) {
	supplied, err := s.kitchen.Supplier(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, supplied.Name, "records", nil)
	p.Data = supplierView{form, supplied, p}
	s.show(c, status, "supplier", p)
}

// setSupplierKind says whether a supplier is a boat or a dealer.
func (s *Server) setSupplierKind(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := newForm(c)
	in := kitchen.SupplierKind{ID: id, Kind: f.text("kind"), Approval: f.text("approval")}
	if in.Kind == kitchen.Dealer && f.text("approved_to") != "" {
		day := f.day("approved_to")
		in.ApprovedTo = &day
	}
	err := f.bad.Err()
	if err == nil {
		err = s.kitchen.SetSupplierKind(c.Request.Context(), in)
	}
	s.answer(c, err, fmt.Sprintf("/suppliers/%d", id), func(back formInput) {
		s.showSupplier(c, http.StatusUnprocessableEntity, id, back)
	})
}
