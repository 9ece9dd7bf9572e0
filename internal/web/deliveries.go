package web

import (
	"cmp"
	"context"
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
	"leancatch/internal/web/form"
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
	form.Back
	Lines     int
	Suppliers []kitchen.Supplier
	Places    []lot.Place
}

// Field is the name of a field of a line.
func (receiveView) Field(line int, name string) string { return lineField(line, name) }

// SupplierNames are those known.
func (v receiveView) SupplierNames() []string { return supplierNames(v.Suppliers) }

func supplierNames(suppliers []kitchen.Supplier) []string {
	var list []string
	for _, s := range suppliers {
		list = append(list, s.Name)
	}
	return list
}

// Means are what a date on a label may be of.
func (receiveView) Means() []freshness.DateMeaning { return freshness.DateMeanings }

// Origins are where a fish comes from.
func (receiveView) Origins() []form.Option {
	return []form.Option{{ID: string(lot.Wild), Name: "Wild"}, {ID: string(lot.Farmed), Name: "Farmed"}}
}

func lineField(line int, name string) string { return fmt.Sprintf("line-%d-%s", line, name) }

func (s *Server) receiveForm(c *gin.Context) {
	p := s.page(c, "Receive", "deliveries", nil)
	p.InForm = true
	v := receiveView{Back: form.Back{Values: url.Values{}}, Lines: 1}
	if o := s.orderOf(c, c.Query("order")); o != nil {
		v.prefill(p, *o)
	}
	if l := s.marketCheckOf(c, c.Query("look")); l != nil {
		v.fromMarket(p, *l)
	}
	s.showReceive(c, p, v)
}

func (s *Server) showReceive(c *gin.Context, p page, v receiveView) {
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
	p.Data = v
	s.show(c, v.Status(), "receive", p)
}

// receive takes a delivery in, or gives the form back with a line more or less,
// or with what is wrong beside the fields.
func (s *Server) receive(c *gin.Context) {
	p := s.page(c, "Receive", "deliveries", nil)
	p.InForm = true
	f := posted(c)
	lines := min(max(int(f.ID("lines")), 1), maxLines)
	v := receiveView{Back: form.Back{Values: f.Values, Sent: true, Quiet: true}, Lines: lines}
	switch action, at, _ := strings.Cut(f.Text("action"), "-"); action {
	case "add":
		v.copyLine(lines)
		v.Lines = min(lines+1, maxLines)
		s.showReceive(c, p, v)
		return
	case "remove":
		if n, err := strconv.Atoi(at); err == nil && lines > 1 {
			v.removeLine(n)
			v.Lines--
		}
		s.showReceive(c, p, v)
		return
	}
	d := kitchen.Delivery{ID: f.UUID("new_id"), Supplier: f.Text("supplier"), Reference: f.Text("reference")}
	if at := f.At("arrived_at"); at != nil {
		d.ArrivedAt = *at
	}
	order := s.orderOf(c, f.Text("order"))
	if order != nil {
		d.OrderID = order.ID
	}
	for i := range lines {
		line := f.line(i, p.Now)
		if n, err := strconv.Atoi(f.Text(lineField(i, "ordered"))); err == nil && order != nil {
			line.Ordered = order.Ordered(n)
		}
		if l := s.marketCheckOf(c, f.Text(lineField(i, "look"))); l != nil {
			line.MarketCheckID = l.ID
		}
		d.Lines = append(d.Lines, line)
	}
	d.Unread = f.Bad
	f.Bad = nil // the kitchen says it again, with what else is wrong
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/deliveries/" + d.ID.String(), s.kitchen.Receive(ctx, d)
	}, func(back form.Back) {
		for i := range back.Errors {
			back.Errors[i].Field = lineError(back.Errors[i].Field)
		}
		s.showReceive(c, p, receiveView{Back: back, Lines: lines})
	})
}

// lineError is the name on the page of a field that the kitchen calls lines[i].name.
func lineError(field string) string {
	if rest, ok := strings.CutPrefix(field, "lines["); ok {
		if i, name, ok := strings.Cut(rest, "]."); ok {
			return "line-" + i + "-" + name
		}
	}
	return field
}

// line reads a line of the delivery. Errors are noted under lines[i].
func (f *input) line(i int, now time.Time) lot.Received {
	in := &input{Reader: f.Reader, actor: f.actor}
	in.Bad = nil
	name := func(field string) string { return lineField(i, field) }
	r := lot.Received{Form: in.Text(name("form")), Frozen: in.Text(name("frozen")) != "", Ice: in.Text(name("ice")),
		SupplierLot: in.Text(name("supplier_lot")), PlaceID: in.ID(name("place_id"))}
	r.SpeciesID = in.species(name("species")).ID
	r.Count = in.MustWhole(name("count"))
	r.WeightKg = in.MustMass(name("weight_kg"))
	if r.CoreC = in.Celsius(name("core_celsius")); r.CoreC != nil {
		limit := f.actor.Profile().FrozenMaxC
		if sp, ok := f.actor.Site.Catalogue().Get(r.SpeciesID); ok && !r.Frozen {
			limit = f.actor.Profile().ReceiveLimit(sp)
		}
		in.odd(name("core_celsius"), *r.CoreC-limit)
	}
	switch at := in.DayAndHour(name("label-day"), name("label-hour")); {
	case at != nil:
		r.LabelDate = lot.LabelDate{At: at, Means: freshness.DateMeaning(in.Text(name("claim.means")))}
	case in.Has(name("claim.means")) && in.Bad.On(name("label-day")) == "":
		in.Bad.Add(name("label-day"), "give the day")
	}
	if at := r.LabelDate.At; at != nil && now.Sub(*at) > oldLabel(r.Frozen) {
		in.Ask(name("label-day"), fmt.Sprintf("is %.0f days ago", now.Sub(*at).Hours()/24))
	}
	r.Origin, r.ReefOrigin, r.DispatchedAt = lot.FishOrigin(in.Text(name("origin"))), in.Text(name("reef_origin")),
		in.At(name("dispatched_at"))
	r.MM = in.Number(name("thickness_mm"), "mm")
	if in.Text(name("pack")) != "" {
		packing := in.packing(lineField(i, ""))
		r.Packing, r.Indicator = &packing, in.Text(name("indicator")) != ""
	}
	for _, e := range in.Bad {
		f.Bad.Add(fmt.Sprintf("lines[%d].%s", i, strings.TrimPrefix(e.Field, lineField(i, ""))), "%s", e.Message)
	}
	return r
}

// oldLabel is how old a date on the label is asked about.
func oldLabel(frozen bool) time.Duration {
	if frozen {
		return 400 * 24 * time.Hour
	}
	return 21 * 24 * time.Hour
}

// copyLine begins line n with what a delivery's lines have in common.
func (v receiveView) copyLine(n int) {
	for _, field := range []string{"claim.means", "label-day", "label-hour", "origin", "reef_origin", "dispatched_at"} {
		v.Values.Set(lineField(n, field), v.Values.Get(lineField(n-1, field)))
	}
}

// removeLine drops line n and moves the later ones up.
func (v receiveView) removeLine(n int) {
	for _, field := range []string{"species", "form", "frozen", "count", "weight_kg", "core_celsius", "ice", "label-day", "label-hour",
		"claim.means", "supplier_lot", "place_id", "ordered", "look", "pack", "film_otr", "tight", "indicator", "origin", "reef_origin", "dispatched_at",
		"thickness_mm"} {
		for i := n; i < v.Lines; i++ {
			v.Values.Set(lineField(i, field), v.Values.Get(lineField(i+1, field)))
		}
	}
}

type speciesView struct {
	ID    string // of the field that it fills
	Found []species.Species
}

// speciesSearch lists what the catalogue has for a text, as buttons that fill
// the field.
func (s *Server) speciesSearch(c *gin.Context) {
	field := c.Query("field")
	v := speciesView{ID: cmp.Or(c.Query("id"), field)}
	if text := strings.TrimSpace(c.Query(field)); text != "" {
		v.Found = kitchen.ActorFrom(c.Request.Context()).Site.Catalogue().Search(text, 6)
	}
	s.render(c, http.StatusOK, "receive", "species", s.page(c, "", "", v))
}
