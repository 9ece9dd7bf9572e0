package web

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/planning"
	"leancatch/internal/interchange"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// orderingView is what dishes of services lack, and how it could be bought.
type orderingView struct {
	form.Back
	Lacking []orderingLine
	Level   float64 // 0: as each service is planned
}

// orderingLine is a dish that lacks fish.
type orderingLine struct {
	kitchen.Lacking
	N      int
	Chosen kitchen.Purchase
}

// Buyable are those that a supplier sells.
func (v orderingView) Buyable() []orderingLine {
	return slices.DeleteFunc(slices.Clone(v.Lacking), func(l orderingLine) bool { return len(l.Purchases) == 0 })
}

// Unknown are those that nobody sold us yet.
func (v orderingView) Unknown() []orderingLine {
	return slices.DeleteFunc(slices.Clone(v.Lacking), func(l orderingLine) bool { return len(l.Purchases) > 0 })
}

// Options are the ways to buy for a dish.
func (l orderingLine) Options(p page) []form.Option {
	var list []form.Option
	for _, x := range l.Purchases {
		name := fmt.Sprintf("%s, %s %s", x.Supplier, x.Species.Name, strings.ToLower(formWords(x.Form, x.Frozen)))
		if x.PerKg > 0 {
			name += ", " + p.Cost(x.PerKg) + " a usable kg"
		}
		if !x.InTime {
			name += ", too late"
		}
		list = append(list, form.Option{ID: x.ID(), Name: name})
	}
	return list
}

// Kg is what is ordered of it, for its field; "" where it goes by fish.
func (l orderingLine) Kg(p page) string {
	if l.Chosen.Fish > 0 {
		return ""
	}
	return p.MassField(l.Chosen.WholeKg)
}

// Was is what its amount was worked out for, and the amount: one that was typed over it is kept.
func (l orderingLine) Was(p page, v orderingView) string {
	amount := l.Kg(p)
	if l.Chosen.Fish > 0 {
		amount = strconv.Itoa(l.Chosen.Fish)
	}
	return fmt.Sprintf("%s%s %s", l.Chosen.ID(), cmp.Or(v.Val("level"), "0"), amount)
}

// Words says what the purchase does.
func (l orderingLine) Words(p page) string {
	x := l.Chosen
	text := fmt.Sprintf("%s usable are missing on average; %s", p.Mass(l.UsableKg), p.Mass(x.WholeKg))
	if x.Fish > 0 {
		text += fmt.Sprintf(" = %d fish of %s", x.Fish, p.Mass(x.FishKg))
	}
	if x.Boxes > 0 {
		text += fmt.Sprintf(" = %s of %s", plural(x.Boxes, "box"), p.Mass(x.BoxKg))
	}
	text += ": " + runsOut(x.Enough)
	if x.Cents > 0 {
		text += ", " + p.Cost(x.Cents)
	}
	return text
}

// When says when it comes, and until when it is ordered.
func (l orderingLine) When(p page) string {
	x := l.Chosen
	if x.Slot.At.IsZero() {
		return "no delivery of " + x.Supplier + " in the next month"
	}
	text := fmt.Sprintf("Comes %s, order by %s", p.When(x.Slot.At), p.When(x.Slot.OrderBy))
	if !x.InTime {
		text = fmt.Sprintf("Too late: it is needed %s, and comes %s", p.When(x.Ready), p.When(x.Slot.At))
	}
	return text
}

func formWords(form string, frozen bool) string {
	if frozen {
		return lot.FormName(form) + ", frozen"
	}
	return lot.FormName(form)
}

// orderLevels are the chances that an order may be made for.
func (p page) OrderLevels() []form.Option {
	return append([]form.Option{{ID: "0", Name: "as each service is planned"}}, p.Levels()[1:]...)
}

func (s *Server) ordering(c *gin.Context) { s.showOrdering(c, form.Back{}) }

func (s *Server) showOrdering(c *gin.Context, back form.Back) {
	p := s.page(c, "Order", "service", nil)
	p.InForm = true
	v := orderingView{Back: back}
	v.Level, _ = strconv.ParseFloat(v.Val("level"), 64)
	list, err := s.kitchen.Lacking(c.Request.Context(), v.Level)
	if err != nil {
		s.fail(c, err)
		return
	}
	for n, l := range list {
		line := orderingLine{Lacking: l, N: n}
		for i, x := range l.Purchases {
			if i == 0 || x.ID() == v.Val(lineField(n, "purchase")) {
				line.Chosen = x
			}
		}
		v.Lacking = append(v.Lacking, line)
	}
	p.Data = v
	s.show(c, v.Status(), "ordering", p)
}

// orderFor places the orders of the form.
func (s *Server) orderFor(c *gin.Context) {
	f := posted(c)
	text := func(n int, name string) string { return f.Text(lineField(n, name)) }
	for n := range maxLines { // another way to buy, or another certainty, asks for another amount
		of, amount, _ := strings.Cut(text(n, "was"), " ")
		typed := cmp.Or(text(n, "fish"), text(n, "kg"))
		if f.Follows() && of != text(n, "purchase")+f.Text("level") && typed == amount {
			f.Values.Del(lineField(n, "fish"))
			f.Values.Del(lineField(n, "kg"))
		}
	}
	level, _ := strconv.ParseFloat(f.Text("level"), 64)
	var list []kitchen.Ordered
	for n := range maxLines {
		if !f.Has(lineField(n, "purchase")) || !f.Has(lineField(n, "take")) {
			continue
		}
		o := kitchen.Ordered{Service: f.UUID(lineField(n, "service")), Dish: f.UUID(lineField(n, "dish")), Purchase: text(n, "purchase"),
			Kg: f.MassOrNone(lineField(n, "kg"))}
		if fish := f.Whole(lineField(n, "fish")); fish != nil {
			o.Fish = *fish
		}
		if o.Fish == 0 && o.Kg == 0 && !f.Follows() {
			f.Bad.Add(lineField(n, "fish"), "say how many, or how much")
		}
		list = append(list, o)
	}
	if len(list) == 0 && !f.Follows() {
		f.Bad.Add("order", "tick what is to be ordered")
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		ids, err := s.kitchen.OrderFor(ctx, level, list)
		if err != nil || len(ids) != 1 {
			return "/deliveries/orders", err
		}
		return "/deliveries/orders/" + ids[0].String(), nil
	}, func(back form.Back) { s.showOrdering(c, back) })
}

// ordersView is the history of orders.
type ordersView struct {
	Orders []kitchen.Order
	Prices []kitchen.UsualPrice
}

// OrderCost is what an order comes to; "" where no price is known.
func (p page) OrderCost(o kitchen.Order) string {
	cents := o.Cents()
	switch {
	case cents == 0:
		return ""
	case slices.ContainsFunc(o.Lines, func(l kitchen.OrderLine) bool { return l.Cents() == 0 }):
		return "from " + p.Cost(cents)
	}
	return "about " + p.Cost(cents)
}

// OrderState is how far an order is, in words.
func (page) OrderState(o kitchen.Order) string {
	switch {
	case o.CancelledAt != nil:
		return "cancelled"
	case o.CameWith != nil:
		return "came"
	case o.SentAt != nil:
		return "sent"
	}
	return "to be sent"
}

// OrderLines are the lines of an order in words.
func (p page) OrderLines(o kitchen.Order) string {
	var list []string
	for _, l := range o.Lines {
		text := p.SpeciesOf(l.SpeciesID).Name
		if l.Count > 0 {
			text += fmt.Sprintf(" %d ×", l.Count)
		}
		if l.WeightKg > 0 {
			text += " " + p.Mass(l.WeightKg)
		}
		list = append(list, text)
	}
	return strings.Join(list, "; ")
}

func (s *Server) orders(c *gin.Context) {
	p, ctx := s.page(c, "Orders", "deliveries", nil), c.Request.Context()
	var v ordersView
	var err error
	if v.Orders, err = s.kitchen.Orders(ctx); err == nil {
		v.Prices, err = s.kitchen.UsualPrices(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, http.StatusOK, "orders", p)
}

// orderPageView is an order that was placed.
type orderPageView struct {
	form.Back
	kitchen.Order
	Text string
	Mail string // an address that opens a message with it
}

func (s *Server) orderPage(c *gin.Context) {
	if id, ok := s.pathID(c); ok {
		s.showOrderPage(c, id, form.Back{})
	}
}

func (s *Server) showOrderPage(c *gin.Context, id uuid.UUID, back form.Back) {
	p := s.page(c, "Order", "deliveries", nil)
	o, err := s.kitchen.Order(c.Request.Context(), id)
	if err != nil {
		s.fail(c, err)
		return
	}
	v := orderPageView{Back: back, Order: o, Text: interchange.OrderText(o, p.Actor)}
	subject, _, _ := strings.Cut(v.Text, "\n")
	v.Mail = "mailto:?" + strings.ReplaceAll(url.Values{"subject": {subject}, "body": {v.Text}}.Encode(), "+", "%20")
	p.Data = v
	s.show(c, v.Status(), "orderpage", p)
}

// orderFile sends an order as a file.
func (s *Server) orderFile(contentType, ending string, write func(kitchen.Order, kitchen.Actor) ([]byte, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		id, ok := s.pathID(c)
		if !ok {
			return
		}
		o, err := s.kitchen.Order(c.Request.Context(), id)
		if err != nil {
			s.fail(c, err)
			return
		}
		data, err := write(o, kitchen.ActorFrom(c.Request.Context()))
		if err != nil {
			s.fail(c, err)
			return
		}
		s.export(c, contentType, fmt.Sprintf("order-%s%s", o.PlacedAt.Format("2006-01-02"), ending), data)
	}
}

// orderAct answers a button of an order: it was sent, or is cancelled.
func (s *Server) orderAct(act func(context.Context, uuid.UUID) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		id, ok := s.pathID(c)
		if !ok {
			return
		}
		f := posted(c)
		s.post(c, f, func(ctx context.Context) (string, error) { return "/deliveries/orders/" + id.String(), act(ctx, id) },
			func(back form.Back) { s.showOrderPage(c, id, back) })
	}
}

// weekdays are those of a form, Monday first.
func weekdays() []form.Option {
	var list []form.Option
	for i := range 7 {
		day := time.Weekday((i + 1) % 7)
		list = append(list, form.Option{ID: strconv.Itoa(int(day)), Name: day.String()[:3]})
	}
	return list
}

// setDeliveries says when a supplier delivers.
func (s *Server) setDeliveries(c *gin.Context) {
	id, ok := s.pathNumber(c)
	if !ok {
		return
	}
	f := posted(c)
	f.form = "deliveries"
	d := planning.Deliveries{Arrives: f.Hour("arrives"), OrderBy: f.Hour("order_by"), OrderDays: f.MustWhole("order_days")}
	for _, text := range f.All("days") {
		if day, err := strconv.Atoi(text); err == nil && day >= 0 && day < 7 {
			d.Days = append(d.Days, time.Weekday(day))
		}
	}
	s.post(c, f, func(ctx context.Context) (string, error) {
		return fmt.Sprintf("/suppliers/%d", id), s.kitchen.SetDeliveries(ctx, id, d)
	}, func(back form.Back) { s.showSupplier(c, id, back) })
}

// MayBuy reports whether the person may order.
func (p page) MayBuy() bool { return p.May(access.Buy) }
