package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// deliveries shows the deliveries of today and yesterday and the lots to inspect.
func (s *Server) deliveries(c *gin.Context) {
	p := s.page(c, "Deliveries", "deliveries", nil)
	local := p.Now.In(p.Zone)
	since := time.Date(local.Year(), local.Month(), local.Day()-1, 0, 0, 0, 0, p.Zone)
	d, err := s.kitchen.Deliveries(c.Request.Context(), since)
	if err != nil {
		s.fail(c, err)
		return
	}
	orders, err := s.kitchen.OpenOrders(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = deliveriesView{d, orders}
	s.show(c, http.StatusOK, "deliveries", p)
}

// deliveriesView is the dock: what came in, and what is still to come.
type deliveriesView struct {
	kitchen.Deliveries
	Orders []kitchen.Order
}

func (s *Server) deliveryNote(c *gin.Context) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	d, err := s.kitchen.DeliveryNote(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.show(c, http.StatusOK, "deliverynote", s.page(c, "Delivery from "+d.Supplier, "deliveries", d))
}

// maxLines bounds the lines of one delivery.
const maxLines = 60

// receiveView is the form of a delivery as it was typed.
type receiveView struct {
	formInput
	Lines     int
	Suppliers []kitchen.Supplier
	Places    []lot.Place
	Forms     []string
	Ices      []string
	Means     []freshness.DateMeaning
}

// Field is the name of a field of a line.
func (receiveView) Field(line int, name string) string { return lineField(line, name) }

// LineVal is what was typed into a field of a line.
func (v receiveView) LineVal(line int, name string) string {
	return v.Values.Get(lineField(line, name))
}

// LineErr is what is wrong with a field of a line.
func (v receiveView) LineErr(line int, name string) string {
	return v.Errors.On(fmt.Sprintf("lines[%d].%s", line, name))
}

func lineField(line int, name string) string { return fmt.Sprintf("line-%d-%s", line, name) }

func (s *Server) receiveForm(c *gin.Context) {
	p := s.page(c, "Receive", "deliveries", nil)
	values := url.Values{"id": {p.NewID()}, "arrived_at": {p.Local(p.Now)}}
	v := receiveView{formInput: formInput{Values: values}, Lines: 1}
	if o := s.orderOf(c, c.Query("order")); o != nil {
		v.prefill(p, *o)
	}
	if l := s.marketCheckOf(c, c.Query("look")); l != nil {
		v.fromMarket(p, *l)
	}
	s.showReceive(c, http.StatusOK, p, v)
}

func (s *Server) showReceive(c *gin.Context, status int, p page, v receiveView) {
	ctx := c.Request.Context()
	var err error
	if v.Suppliers, err = s.kitchen.SupplierNames(ctx); err != nil {
		s.fail(c, err)
		return
	}
	if v.Places, err = s.kitchen.PlaceList(ctx); err != nil {
		s.fail(c, err)
		return
	}
	v.Forms, v.Ices, v.Means = lot.Forms, lot.IceStates, freshness.DateMeanings
	p.Data = v
	if isPart(c) {
		s.render(c, status, "receive", "form", p)
		return
	}
	s.show(c, status, "receive", p)
}

// receive takes a delivery in, or gives the form back with a line more or less,
// or with what is wrong beside the fields.
func (s *Server) receive(c *gin.Context) {
	p := s.page(c, "Receive", "deliveries", nil)
	f := newForm(c)
	lines := min(max(f.whole("lines"), 1), maxLines)
	v := receiveView{formInput: formInput{Values: c.Request.PostForm}, Lines: lines}
	switch action, at, _ := strings.Cut(f.text("action"), "-"); action {
	case "add":
		v.copyLine(lines)
		v.Lines = min(lines+1, maxLines)
		s.showReceive(c, http.StatusOK, p, v)
		return
	case "remove":
		if n, err := strconv.Atoi(at); err == nil && lines > 1 {
			v.removeLine(n)
			v.Lines--
		}
		s.showReceive(c, http.StatusOK, p, v)
		return
	}
	d := kitchen.Delivery{ID: f.uuid("id"), Supplier: f.text("supplier"), Reference: f.text("reference")}
	if at := f.at("arrived_at"); at != nil {
		d.ArrivedAt = *at
	}
	order := s.orderOf(c, f.text("order"))
	if order != nil {
		d.OrderID = order.ID
	}
	for i := range lines {
		line := f.line(i)
		if n, err := strconv.Atoi(f.text(lineField(i, "ordered"))); err == nil && order != nil {
			line.Ordered = order.Ordered(n)
		}
		if l := s.marketCheckOf(c, f.text(lineField(i, "look"))); l != nil {
			line.MarketCheckID = l.ID
		}
		d.Lines = append(d.Lines, line)
	}
	d.Unread = f.bad
	err := s.kitchen.Receive(c.Request.Context(), d)
	if errors.As(err, &v.Errors) {
		s.showReceive(c, http.StatusUnprocessableEntity, p, v)
		return
	} else if err != nil {
		s.fail(c, err)
		return
	}
	to := p.Base + "/deliveries/" + d.ID.String()
	if isPart(c) {
		c.Header("HX-Redirect", to)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

// line reads a line of the delivery. Errors are noted under lines[i].
func (f *form) line(i int) lot.Received {
	in := &form{c: f.c, actor: f.actor}
	name := func(field string) string { return lineField(i, field) }
	r := lot.Received{Form: in.text(name("form")), Frozen: in.text(name("frozen")) != "", Ice: in.text(name("ice")),
		SupplierLot: in.text(name("supplier_lot")), PlaceID: in.id(name("place_id"))}
	r.SpeciesID = in.species(name("species")).ID
	r.Count = in.whole(name("count"))
	r.WeightKg = in.kilograms(name("weight_kg"))
	r.CoreC = in.celsius(name("core_celsius"))
	if at := in.at(name("claim.at")); at != nil {
		r.LabelDate = lot.LabelDate{At: at, Means: freshness.DateMeaning(in.text(name("claim.means")))}
	}
	r.Origin, r.ReefOrigin, r.DispatchedAt = lot.FishOrigin(in.text(name("origin"))), in.text(name("reef_origin")),
		in.at(name("dispatched_at"))
	r.MM = in.number(name("thickness_mm"), "mm")
	if in.text(name("pack")) != "" {
		packing := in.packing(lineField(i, ""))
		r.Packing, r.Indicator = &packing, in.text(name("indicator")) != ""
	}
	for _, e := range in.bad {
		f.bad.Add(fmt.Sprintf("lines[%d].%s", i, strings.TrimPrefix(e.Field, lineField(i, ""))), "%s", e.Message)
	}
	return r
}

// copyLine begins line n with what a delivery's lines have in common.
func (v receiveView) copyLine(n int) {
	for _, field := range []string{"ice", "claim.at", "claim.means", "place_id", "form", "pack", "origin", "dispatched_at"} {
		v.Values.Set(lineField(n, field), v.Values.Get(lineField(n-1, field)))
	}
}

// removeLine drops line n and moves the later ones up.
func (v receiveView) removeLine(n int) {
	for _, field := range []string{"species", "form", "frozen", "count", "weight_kg", "core_celsius", "ice", "claim.at",
		"claim.means", "supplier_lot", "place_id", "ordered", "look", "pack", "film_otr", "tight", "indicator", "origin", "reef_origin", "dispatched_at",
		"thickness_mm"} {
		for i := n; i < v.Lines; i++ {
			v.Values.Set(lineField(i, field), v.Values.Get(lineField(i+1, field)))
		}
	}
}

type speciesView struct {
	Field string
	Found []species.Species
}

// speciesSearch lists what the catalogue has for a text, as buttons that fill
// the field.
func (s *Server) speciesSearch(c *gin.Context) {
	field := c.Query("field")
	v := speciesView{Field: field}
	if text := strings.TrimSpace(c.Query(field)); text != "" {
		v.Found = kitchen.ActorFrom(c.Request.Context()).Site.Catalogue().Search(text, 6)
	}
	s.render(c, http.StatusOK, "receive", "species", s.page(c, "", "", v))
}
