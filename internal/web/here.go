package web

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// hereView is the form that writes down what is here as a kitchen begins.
type hereView struct {
	form.Back
	Lines     int
	Added     bool
	Places    []lot.Place
	Suppliers []kitchen.Supplier
}

// Field is the name of a field of a line.
func (hereView) Field(line int, name string) string { return lineField(line, name) }

// SupplierNames are those known.
func (v hereView) SupplierNames() []string { return supplierNames(v.Suppliers) }

// Days are the last days, for a tap.
func (hereView) Days(p page) []form.Option { return lastDays(p) }

func (s *Server) hereForm(c *gin.Context) { s.showHere(c, hereView{Lines: 1}) }

func (s *Server) showHere(c *gin.Context, v hereView) {
	ctx := c.Request.Context()
	var err error
	if v.Places, err = s.kitchen.PlaceList(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if v.Suppliers, err = s.kitchen.SupplierNames(ctx); err != nil {
		s.fail(c, err)
		return
	}
	p := s.page(c, "Start with what is here", "deliveries", v)
	p.InForm = true
	s.show(c, v.Status(), "here", p)
}

// here takes in what lies in a place, or gives the form back with a line more or less.
func (s *Server) here(c *gin.Context) {
	f := posted(c)
	lines := min(max(int(f.ID("lines")), 1), maxLines)
	v := hereView{Back: form.Back{Values: f.Values, Sent: true, Quiet: true}, Lines: lines}
	if f.Text("action") == "add" {
		f.Values.Set(lineField(lines, "came"), f.Text(lineField(lines-1, "came")))
		v.Lines, v.Added = min(lines+1, maxLines), true
		s.showHere(c, v)
		return
	}
	in := kitchen.WhatIsHere{ID: f.UUID("new_id"), PlaceID: f.ID("place_id"), Supplier: f.Text("supplier"), Explanation: f.Text("account"),
		WarmestC: f.Celsius("warmest_celsius")}
	for i := range lines {
		l, err := s.hereLine(c, f, i)
		if err != nil {
			s.fail(c, err)
			return
		}
		in.Lines = append(in.Lines, l)
	}
	in.Unread, in.Unlisted, f.Bad = f.Bad, f.unlisted, nil // the kitchen says it again, with what else is wrong
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/board", s.kitchen.StartWithWhatIsHere(ctx, in)
	}, func(back form.Back) {
		back.Errors = lineErrors(f.Reader, back.Errors)
		s.showHere(c, hereView{Back: back, Lines: lines})
	})
}

// hereLine reads a line, with the photo of its label where there is one.
func (s *Server) hereLine(c *gin.Context, f *input, i int) (kitchen.HereLine, error) {
	in := &input{Reader: f.Reader, actor: f.actor}
	in.Bad = nil
	name := func(field string) string { return lineField(i, field) }
	l := kitchen.HereLine{SpeciesID: in.speciesOrUnlisted(name("species")).ID, Form: in.Text(name("form")), Frozen: in.Has(name("frozen")),
		WeightKg: in.MustMass(name("weight_kg")), Count: 1}
	if n := in.Whole(name("count")); n != nil {
		l.Count = *n
	}
	if day := in.DayAndHour(name("came"), name("came-hour")); day != nil {
		l.CameAt = *day
	}
	if c.Request.MultipartForm != nil && len(c.Request.MultipartForm.File[name("label")]) > 0 {
		picture, err := postedPhoto(c, name("label"))
		var bad invalid.Errors
		if errors.As(err, &bad) {
			in.Bad = append(in.Bad, bad...)
		} else if err != nil {
			return l, err
		}
		l.Label = &picture
	}
	for _, e := range in.Bad {
		f.Bad.Add(fmt.Sprintf("lines[%d].%s", i, strings.TrimPrefix(e.Field, lineField(i, ""))), "%s", e.Message)
	}
	f.unlisted = append(f.unlisted, in.unlisted...)
	return l, nil
}

// lastDays are the last days, for a tap.
func lastDays(p page) []form.Option {
	var list []form.Option
	for i, name := range []string{"today", "yesterday", "2 days ago"} {
		list = append(list, form.Option{ID: p.Now.In(p.Zone).AddDate(0, 0, -i).Format(time.DateOnly), Name: name})
	}
	return list
}
