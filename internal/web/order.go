package web

import (
	"context"
	"fmt"
	"html/template"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/drawing"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// orderView is the form of an order as it was typed. Lines added are kept in
// hidden fields; the one at hand is drawn.
type orderView struct {
	form.Back
	Lines     []kitchen.OrderLine // added before
	Species   species.Species     // of the line at hand
	Trims     []trimRow
	Fish      template.HTML
	Suppliers []kitchen.Supplier
	Open      []kitchen.Order
}

// SupplierNames are those known.
func (v orderView) SupplierNames() []string { return supplierNames(v.Suppliers) }

// OffText writes what comes off a line.
func (orderView) OffText(off []lot.Trim) string {
	var names []string
	for _, t := range off {
		names = append(names, strings.ToLower(t.Name()))
	}
	if len(names) == 0 {
		return "all stays on"
	}
	return "off: " + strings.Join(names, ", ")
}

func (s *Server) orderForm(c *gin.Context) {
	p := s.page(c, "Order", "deliveries", nil)
	p.InForm = true
	s.showOrder(c, p, orderView{Back: form.Back{Values: url.Values{"form": {"whole"}}}})
}

func (s *Server) showOrder(c *gin.Context, p page, v orderView) {
	ctx := c.Request.Context()
	var err error
	if v.Suppliers, err = s.kitchen.SupplierNames(ctx); err == nil {
		v.Open, err = s.kitchen.OpenOrders(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v.Species, _ = p.Actor.Site.Catalogue().Find(v.Val("species"))
	figure := v.Species.Figure
	if figure == "" {
		figure = "cod"
	}
	var off []lot.Trim
	for _, t := range lot.TrimFor(v.Val("form")) {
		r := trimRow{Trim: t, Off: v.Val("trim-"+string(t)) == "off"}
		if r.Off {
			off = append(off, t)
		}
		v.Trims = append(v.Trims, r)
	}
	v.Fish = drawing.Trimmed(figure, v.Val("form"), off, nil)
	p.Data = v
	s.show(c, v.Status(), "order", p)
}

// order adds a line, redraws the current one, or places the order.
func (s *Server) order(c *gin.Context) {
	p := s.page(c, "Order", "deliveries", nil)
	p.InForm = true
	f := posted(c)
	v := orderView{Back: form.Back{Values: f.Values, Sent: true, Quiet: f.Follows()}}
	for i := range min(len(f.All("line")), maxLines) {
		v.Lines = append(v.Lines, readOrderLine(f.All("line")[i]))
	}
	if f.Follows() {
		s.showOrder(c, p, v)
		return
	}
	o := kitchen.Order{ID: f.UUID("new_id"), Supplier: f.Text("supplier"), Lines: v.Lines}
	if f.Text("action") == "add" || f.Has("species") {
		line := f.orderLine()
		if v.Mark(f.Bad); len(f.Bad) > 0 {
			s.showOrder(c, p, v)
			return
		}
		o.Lines = append(o.Lines, line)
	}
	if f.Text("action") == "add" {
		for _, field := range []string{"species", "count", "weight_kg", "price", "price_for", "fee", "note"} {
			v.Values.Del(field)
		}
		v.Lines = o.Lines
		s.showOrder(c, p, v)
		return
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/deliveries", s.kitchen.PlaceOrder(ctx, o)
	}, func(back form.Back) {
		v.Back = back
		s.showOrder(c, p, v)
	})
}

// orderLine reads the line at hand.
func (f *input) orderLine() kitchen.OrderLine {
	l := kitchen.OrderLine{Form: f.Text("form"), Note: f.Text("note")}
	if l.SpeciesID = f.species("species").ID; l.SpeciesID == "" && f.Bad.On("species") == "" {
		f.Bad.Add("species", "is not in the catalogue")
	}
	if f.Text("count") != "" {
		l.Count = f.MustWhole("count")
	}
	if f.Text("weight_kg") != "" {
		l.WeightKg = f.MustMass("weight_kg")
	}
	if l.Count == 0 && l.WeightKg == 0 && f.Bad.On("count") == "" {
		f.Bad.Add("count", "say how many, or how much")
	}
	l.FeeCents = f.Cents("fee")
	l.Price, l.PriceFor = f.priceFor("price")
	for _, t := range lot.TrimFor(l.Form) {
		if f.Text("trim-"+string(t)) == "off" {
			l.Off = append(l.Off, t)
		}
	}
	return l
}

// Line writes a line for its hidden field; readOrderLine reads it back. The
// kitchen checks it again.
func (orderView) Line(l kitchen.OrderLine) string {
	off := make([]string, len(l.Off))
	for i, t := range l.Off {
		off[i] = string(t)
	}
	return url.Values{"species": {l.SpeciesID}, "form": {l.Form}, "count": {strconv.Itoa(l.Count)},
		"kg":  {fmt.Sprint(l.WeightKg)},
		"fee": {strconv.FormatInt(l.FeeCents, 10)}, "price": {strconv.FormatInt(l.Price, 10)}, "price_for": {string(l.PriceFor)}, "note": {l.Note},
		"off": {strings.Join(off, ",")}}.Encode()
}

func readOrderLine(text string) kitchen.OrderLine {
	v, _ := url.ParseQuery(text)
	l := kitchen.OrderLine{SpeciesID: v.Get("species"), Form: v.Get("form"), Note: v.Get("note"), Off: trims(v.Get("off")),
		PriceFor: lot.PriceFor(v.Get("price_for"))}
	l.Count, _ = strconv.Atoi(v.Get("count"))
	l.WeightKg, _ = strconv.ParseFloat(v.Get("kg"), 64)
	l.FeeCents, _ = strconv.ParseInt(v.Get("fee"), 10, 64)
	l.Price, _ = strconv.ParseInt(v.Get("price"), 10, 64)
	return l
}

// prefill begins a delivery with the lines of an order.
func (v *receiveView) prefill(p page, o kitchen.Order) {
	v.Values.Set("order", o.ID.String())
	v.Values.Set("supplier", o.Supplier)
	v.Lines = len(o.Lines)
	for i, l := range o.Lines {
		v.Values.Set(lineField(i, "species"), p.SpeciesOf(l.SpeciesID).Name)
		v.Values.Set(lineField(i, "form"), l.Form)
		v.Values.Set(lineField(i, "ordered"), strconv.Itoa(i))
		if l.Count > 0 {
			v.Values.Set(lineField(i, "count"), strconv.Itoa(l.Count))
		}
		if l.WeightKg > 0 {
			v.Values.Set(lineField(i, "weight_kg"), p.MassField(l.WeightKg))
		}
		v.price(p, i, l.Price, l.PriceFor)
		if l.FeeCents > 0 {
			v.Values.Set(lineField(i, "fee_cents"), fmt.Sprintf("%.2f", float64(l.FeeCents)/100))
		}
	}
}

// orderOf returns the order that a delivery answers; nil for none.
func (s *Server) orderOf(c *gin.Context, id string) *kitchen.Order {
	orderID, err := uuid.Parse(id)
	if err != nil {
		return nil
	}
	o, err := s.kitchen.OpenOrder(c.Request.Context(), orderID)
	if err != nil {
		return nil // it came in meanwhile: the delivery stands without it
	}
	return &o
}
