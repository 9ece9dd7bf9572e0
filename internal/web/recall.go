package web

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// recallView is a recall before it is begun, with what it would touch, and those of before.
type recallView struct {
	form.Back
	Touched   *kitchen.Lineage // nil while it is not said what it goes by
	Past      []kitchen.Recall
	Places    []form.Option
	Suppliers []form.Option
}

// recallBy reads what a recall goes by.
func recallBy(f *input, p page) kitchen.RecallBy {
	by := kitchen.RecallBy{SupplierID: f.ID("supplier_id"), SupplierLot: f.Text("supplier_lot"), SpeciesID: f.species("species").ID,
		PlaceID: f.ID("place_id"), Area: f.Text("area")}
	day := func(field string, later int) time.Time {
		if !f.Has(field) {
			return time.Time{}
		}
		d := f.Day(field)
		return time.Date(d.Year(), d.Month(), d.Day()+later, 0, 0, 0, 0, p.Zone) // the day on the kitchen's clock
	}
	by.From, by.To = day("from", 0), day("to", 1)
	return by
}

func (s *Server) recallForm(c *gin.Context) {
	v := recallView{}
	if by := (kitchen.RecallBy{SupplierLot: c.Query("supplier_lot")}); by.SupplierLot != "" {
		touched, err := s.kitchen.Touched(c.Request.Context(), by)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Back, v.Touched = unsent(c), &touched
	}
	s.showRecall(c, v)
}

func (s *Server) showRecall(c *gin.Context, v recallView) {
	p, ctx := s.page(c, "Recall", "records", nil), c.Request.Context()
	p.InForm = p.Actor.IsManager()
	var err error
	if v.Past, err = s.kitchen.Recalls(ctx); err != nil {
		s.fail(c, err)
		return
	}
	places, err := s.kitchen.Places(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, x := range places {
		v.Places = append(v.Places, form.Option{ID: fmt.Sprint(x.ID), Name: x.Name})
	}
	suppliers, err := s.kitchen.SupplierNames(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, x := range suppliers {
		v.Suppliers = append(v.Suppliers, form.Option{ID: fmt.Sprint(x.ID), Name: x.Name})
	}
	p.Data = v
	s.show(c, v.Status(), "recall", p)
}

// beginRecall begins a recall, or a drill; asked for a preview it shows what it would touch.
func (s *Server) beginRecall(c *gin.Context) {
	f := posted(c)
	by := recallBy(f, s.page(c, "", "records", nil))
	in := kitchen.NewRecall{ID: f.UUID("new_id"), By: by, Reason: f.Text("reason"), Drill: f.Has("drill")}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/records/recall/" + in.ID.String(), s.kitchen.BeginRecall(ctx, in)
	}, func(back form.Back) {
		v := recallView{Back: back}
		var bad invalid.Errors
		if by.Check(&bad); len(bad) == 0 && len(f.Bad) == 0 {
			touched, err := s.kitchen.Touched(c.Request.Context(), by)
			if err != nil {
				s.fail(c, err)
				return
			}
			v.Touched = &touched
		}
		s.showRecall(c, v)
	})
}

// recallSheetView is a recall with its lots as they are now.
type recallSheetView struct {
	form.Back
	kitchen.Recall
	kitchen.Lineage
}

func (s *Server) recallSheet(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.showRecallSheet(c, id, form.Back{})
	}
}

func (s *Server) showRecallSheet(c *gin.Context, id uuid.UUID, back form.Back) {
	r, l, err := s.kitchen.RecallSheet(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := recallSheetView{back, r, l}
	s.show(c, v.Status(), "recallsheet", s.page(c, v.Title(), "records", v))
}

// recallFound ends it: all of it was found.
func (s *Server) recallFound(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	s.post(c, posted(c), func(ctx context.Context) (string, error) {
		return "/records/recall/" + id.String(), s.kitchen.RecallFound(ctx, id)
	}, func(back form.Back) { s.showRecallSheet(c, id, back) })
}

// Title is what it is.
func (v recallSheetView) Title() string {
	if v.Drill {
		return "Recall drill"
	}
	return "Recall"
}

// Took is how long it took, in words.
func (recallView) Took(r kitchen.Recall) string { return took(r) }

// TookWords is that of the sheet.
func (v recallSheetView) TookWords() string { return took(v.Recall) }

func took(r kitchen.Recall) string {
	switch d := r.Took(); {
	case d == 0:
		return "not all found yet"
	case d < time.Minute:
		return "all found within a minute"
	default:
		return fmt.Sprintf("all found in %s", plural(int(d.Minutes()+0.5), "minute"))
	}
}

// RecallBy says what a recall goes by.
func (p page) RecallBy(by kitchen.RecallBy) string {
	var parts []string
	add := func(text string) { parts = append(parts, text) }
	if by.SupplierLot != "" {
		add("lot " + by.SupplierLot)
	}
	if by.SpeciesID != "" {
		add(p.SpeciesOf(by.SpeciesID).Name)
	}
	if by.Area != "" {
		add("caught in " + by.Area)
	}
	if by.PlaceID != 0 {
		add("in a place")
	}
	if !by.From.IsZero() {
		add(p.Day(by.From) + " to " + p.Day(by.To.Add(-time.Second)))
	}
	return strings.Join(parts, ", ")
}
