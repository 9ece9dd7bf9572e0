package web

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/web/form"
)

// deliveries shows the deliveries of today and yesterday and the lots to inspect.
func (s *Server) deliveries(c *gin.Context) {
	s.showDeliveries(c, form.Back{})
}

func (s *Server) showDeliveries(c *gin.Context, back form.Back) {
	p := s.page(c, "Deliveries", "deliveries", nil)
	local := p.Now.In(p.Zone)
	since := time.Date(local.Year(), local.Month(), local.Day()-1, 0, 0, 0, 0, p.Zone)
	ctx, v := c.Request.Context(), deliveriesView{Back: back}
	var err error
	if v.Deliveries, err = s.kitchen.Deliveries(ctx, since); err == nil {
		v.Orders, err = s.kitchen.OpenOrders(ctx)
	}
	if err == nil {
		v.Transfers, err = s.kitchen.Transfers(ctx)
	}
	if err == nil {
		v.BoatsIn, err = s.kitchen.BoatsStayedIn(ctx, since)
	}
	if err == nil {
		v.Area, err = s.kitchen.LastArea(ctx)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p.Data = v
	s.show(c, back.Status(), "deliveries", p)
}

// boatsStayIn notes that the boats of an area stay in.
func (s *Server) boatsStayIn(c *gin.Context) {
	f := posted(c)
	f.form = "boats"
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/deliveries", s.kitchen.BoatsStayIn(ctx, f.UUID("new_id"), f.Text("area"))
	}, func(back form.Back) { s.showDeliveries(c, back) })
}

// boatsOut notes that they went out again.
func (s *Server) boatsOut(c *gin.Context) { s.endBoatsIn(c, s.kitchen.BoatsOutAgain) }

// boatsWereOut takes back that they stayed in.
func (s *Server) boatsWereOut(c *gin.Context) { s.endBoatsIn(c, s.kitchen.BoatsWereOut) }

func (s *Server) endBoatsIn(c *gin.Context, end func(context.Context, uuid.UUID) error) {
	id, ok := s.pathID(c)
	if !ok {
		return
	}
	if err := end(c.Request.Context(), id); err != nil {
		s.fail(c, err)
		return
	}
	s.leadOn(c, s.base(c)+"/deliveries")
}

// deliveriesView is the dock: what came in, and what is still to come.
type deliveriesView struct {
	kitchen.Deliveries
	Orders    []kitchen.Order
	Transfers []kitchen.Transfer // to other kitchens, and from them
	BoatsIn   []kitchen.BoatsIn  // since yesterday
	Area      string             // that was named last
	form.Back
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
	Order     *kitchen.Order // that came in with it; nil for none
	Added     bool           // the last line was just added
}

// PricesFor are what a price may be for, beside a kilogram.
func (receiveView) PricesFor() []form.Option { return named(lot.PricesFor, lot.PriceFor.Name) }

// Field is the name of a field of a line.
func (receiveView) Field(line int, name string) string { return lineField(line, name) }

// more are the fields of a line that lie folded.
var more = append([]string{"supplier_lot", "pack", "film_otr", "tight", "indicator", "reef_origin", "thickness_mm", "fee_cents",
	"unit_price_cents", "price_for", "boxes", "freight_cents", "use_by", "tag", "size_grade", "length_mm"}, shared...)

// Open reports whether what is folded of a line says something, or is wrong.
func (v receiveView) Open(line int) bool {
	return slices.ContainsFunc(more, func(name string) bool {
		field := lineField(line, name)
		return v.Val(field) != "" || v.Errors.On(field) != ""
	})
}

// DeliveryOpen is Open of what is folded of the delivery.
func (v receiveView) DeliveryOpen() bool {
	return v.Val("reference") != "" || slices.ContainsFunc([]string{"arrived_at", "reference", allField("label-hour"), allField("origin"),
		allField("dispatched_at")}, func(name string) bool { return v.Errors.On(name) != "" })
}

// Arrived is when it came, in words.
func (v receiveView) Arrived(p page) string {
	at, err := time.ParseInLocation(form.LocalTime, v.Val("arrived_at"), p.Zone)
	if err != nil || p.SameMinute(at, p.Now) {
		return "now, " + p.Clock(p.Now)
	}
	return p.Stamp(at)
}

// Ices are the states of the ice in a word or two.
func (receiveView) Ices() []form.Option {
	short := map[string]string{"well_iced": "All around", "some_ice": "Some", "melted": "Melted", "none": "None"}
	return named(lot.IceStates, func(id string) string { return short[id] })
}

// Days are the last days, for a tap.
func (receiveView) Days(p page) []form.Option { return lastDays(p) }

// Asked is what was ordered of a line, in words; "" where it was not.
func (v receiveView) Asked(p page, line int) string {
	n, err := strconv.Atoi(v.Val(lineField(line, "ordered")))
	if err != nil || v.Order == nil || n < 0 || n >= len(v.Order.Lines) {
		return ""
	}
	return p.OrderedAs(v.Order.Lines[n])
}

// OrderedAs is an order's line in words.
func (p page) OrderedAs(l kitchen.OrderLine) string {
	var parts []string
	if l.Count > 0 {
		parts = append(parts, fmt.Sprintf("%d ×", l.Count))
	}
	if l.WeightKg > 0 {
		parts = append(parts, p.Mass(l.WeightKg))
	}
	return strings.Join(append(parts, strings.ToLower(lot.FormName(l.Form))), " ")
}

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
	if v.Order = s.orderOf(c, c.Query("order")); v.Order != nil {
		v.prefill(p, *v.Order)
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
	order := s.orderOf(c, f.Text("order"))
	v := receiveView{Back: form.Back{Values: f.Values, Sent: true, Quiet: true}, Lines: lines, Order: order}
	switch action, at, _ := strings.Cut(f.Text("action"), "-"); action {
	case "add":
		v.copyLine(lines)
		v.Lines, v.Added = min(lines+1, maxLines), true
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
	if order != nil {
		d.OrderID = order.ID
	}
	boatsIn, err := s.kitchen.BoatsStayedIn(c.Request.Context(), p.Now.Add(-oldLabel(false)))
	if err != nil {
		s.fail(c, err)
		return
	}
	for i := range lines {
		line := f.line(i, p.Now, boatsIn)
		if n, err := strconv.Atoi(f.Text(lineField(i, "ordered"))); err == nil && order != nil {
			line.Ordered = order.Ordered(n)
		}
		if l := s.marketCheckOf(c, f.Text(lineField(i, "look"))); l != nil {
			line.MarketCheckID = l.ID
		}
		d.Lines = append(d.Lines, line)
	}
	d.Unread, d.Unlisted = f.Bad, f.unlisted
	f.Bad = nil // the kitchen says it again, with what else is wrong
	s.post(c, f, func(ctx context.Context) (string, error) {
		return "/deliveries/" + d.ID.String(), s.kitchen.Receive(ctx, d)
	}, func(back form.Back) {
		back.Errors = lineErrors(f.Reader, back.Errors)
		s.showReceive(c, p, receiveView{Back: back, Lines: lines, Order: order})
	})
}

// lineErrors names what the kitchen calls lines[i].name as the page does: by the field of the line, or
// by that of all lines where the line says nothing of its own.
func lineErrors(sent form.Reader, bad invalid.Errors) invalid.Errors {
	var out invalid.Errors
	for _, e := range bad {
		if rest, ok := strings.CutPrefix(e.Field, "lines["); ok {
			if i, name, ok := strings.Cut(rest, "]."); ok {
				line, _ := strconv.Atoi(i)
				if name == "claim.at" { // which is typed as a day
					name = "label-day"
				}
				e.Field = own(sent, line, name)
			}
		}
		if out.On(e.Field) == "" {
			out = append(out, e)
		}
	}
	return out
}

// shared are the fields that are given once for all lines; a line that says something of its own in
// one goes by that.
var shared = []string{"ice", "place_id", "claim.means", "label-day", "label-hour", "origin", "dispatched_at"}

// allField is the name of a field that is given for all lines.
func allField(name string) string { return "all-" + name }

// own is the name of the field that says something of a line: its own, or that of all lines.
func own(v form.Reader, line int, name string) string {
	if field := lineField(line, name); v.Has(field) || !slices.Contains(shared, name) {
		return field
	}
	if strings.HasPrefix(name, "label-") && v.Has(lineField(line, "claim.means")) {
		return lineField(line, name) // its own date, of which half is missing
	}
	return allField(name)
}

// line reads a line of the delivery. Errors are noted under lines[i], those of a field that is given
// for all lines under its name.
func (f *input) line(i int, now time.Time, boatsIn []kitchen.BoatsIn) lot.Received {
	in := &input{Reader: f.Reader, actor: f.actor}
	in.Bad = nil
	name := func(field string) string { return own(f.Reader, i, field) }
	r := lot.Received{Form: in.Text(name("form")), Frozen: in.Text(name("frozen")) != "", Ice: in.Text(name("ice")),
		SupplierLot: in.Text(name("supplier_lot")), PlaceID: in.ID(name("place_id")),
		PriceCents: in.price(name("price_cents_per_kg")), FeeCents: in.Cents(name("fee_cents")),
		UnitCents: in.Cents(name("unit_price_cents")), PriceFor: lot.PriceFor(in.Text(name("price_for"))),
		FreightCents: in.Cents(name("freight_cents"))}
	if n := in.Whole(name("boxes")); n != nil {
		r.Boxes = *n
	}
	sp := in.speciesOrUnlisted(name("species"))
	r.SpeciesID = sp.ID
	r.WeightKg = in.MustMass(name("weight_kg"))
	r.Count = in.pieces(name("count"), r.WeightKg)
	r.Tag, r.SizeGrade, r.LengthMM = in.Text(name("tag")), in.Text(name("size_grade")), in.Number(name("length_mm"), "mm")
	if in.Has(name("use_by")) {
		if day := in.DayAndHour(name("use_by"), name("use_by-hour")); day != nil {
			end := day.AddDate(0, 0, 1).Add(-time.Second) // the end of that day
			r.UseBy = &end
		}
	}
	if r.CoreC = in.Celsius(name("core_celsius")); r.CoreC != nil {
		limit := f.actor.Profile().FrozenMaxC
		if sp.ID != "" && !r.Frozen {
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
	if at := r.LabelDate.At; at != nil && r.LabelDate.Means == freshness.Caught && in.Text(name("origin")) != string(lot.Farmed) {
		for _, b := range boatsIn {
			if b.Holds(*at) {
				in.Ask(name("label-day"), "is a day on which the boats stayed in: "+b.Area)
				break
			}
		}
	}
	r.Origin, r.ReefOrigin, r.DispatchedAt = lot.FishOrigin(in.Text(name("origin"))), in.Text(name("reef_origin")),
		in.At(name("dispatched_at"))
	r.MM = in.Number(name("thickness_mm"), "mm")
	if in.Text(name("pack")) != "" {
		packing := in.packing(lineField(i, ""))
		r.Packing, r.Indicator = &packing, in.Text(name("indicator")) != ""
	}
	for _, e := range in.Bad {
		if rest, ok := strings.CutPrefix(e.Field, lineField(i, "")); ok {
			f.Bad.Add(fmt.Sprintf("lines[%d].%s", i, rest), "%s", e.Message)
		} else if f.Bad.On(e.Field) == "" {
			f.Bad.Add(e.Field, "%s", e.Message)
		}
	}
	f.unlisted = append(f.unlisted, in.unlisted...)
	return r
}

// oldLabel is how old a date on the label is asked about.
func oldLabel(frozen bool) time.Duration {
	if frozen {
		return 400 * 24 * time.Hour
	}
	return 21 * 24 * time.Hour
}

// copyLine begins line n with what the line before says of its origin and its date.
func (v receiveView) copyLine(n int) {
	for _, field := range []string{"claim.means", "label-day", "label-hour", "origin", "reef_origin", "dispatched_at", "place_id"} {
		v.Values.Set(lineField(n, field), v.Values.Get(lineField(n-1, field)))
	}
}

// removeLine drops line n and moves the later ones up.
func (v receiveView) removeLine(n int) {
	for _, field := range []string{"species", "form", "frozen", "count", "weight_kg", "core_celsius", "ice", "label-day", "label-hour",
		"claim.means", "supplier_lot", "place_id", "ordered", "look", "pack", "film_otr", "tight", "indicator", "origin", "reef_origin",
		"dispatched_at", "thickness_mm", "price_cents_per_kg", "fee_cents", "unit_price_cents", "price_for", "boxes", "freight_cents", "use_by", "tag", "length_mm", "size_grade"} {
		for i := n; i < v.Lines; i++ {
			v.Values.Set(lineField(i, field), v.Values.Get(lineField(i+1, field)))
		}
	}
}

// mostFound is how many species a search shows.
const mostFound = 8

type speciesView struct {
	ID    string // of the field that it fills
	Found []species.Species
	Meant string // the id of the one that is surely meant; "" where a person has to say which
}

// speciesSearch lists what the catalogue has for a text, as buttons that fill
// the field.
func (s *Server) speciesSearch(c *gin.Context) {
	field := c.Query("field")
	v := speciesView{ID: cmp.Or(c.Query("id"), field)}
	if text := strings.TrimSpace(c.Query(field)); text != "" {
		found, meant, err := s.kitchen.FindSpecies(c.Request.Context(), text, mostFound)
		if err != nil {
			s.fail(c, err)
			return
		}
		v.Found, v.Meant = found, meant.ID
	}
	s.render(c, http.StatusOK, "receive", "species", s.page(c, "", "", v))
}

// priceField is a price of a kilogram, hundredths, as the person types it: of a pound, where they weigh in those.
func (p page) priceField(cents int64) string {
	per := float64(cents)
	if p.Actor.Masses() == unit.PoundScale {
		per *= unit.KilogramsPerPound
	}
	return fmt.Sprintf("%.2f", per/100)
}

// price fills in what a line costs, as it was ordered or asked for.
func (v *receiveView) price(p page, line int, cents int64, per lot.PriceFor) {
	switch {
	case cents == 0:
	case per == "":
		v.Values.Set(lineField(line, "price_cents_per_kg"), p.priceField(cents))
	default:
		v.Values.Set(lineField(line, "unit_price_cents"), fmt.Sprintf("%.2f", float64(cents)/100))
		v.Values.Set(lineField(line, "price_for"), string(per))
	}
}

// Priced writes a price with what it is for.
func (p page) Priced(cents int64, per lot.PriceFor) string {
	if per == "" {
		return p.PerMass(float64(cents))
	}
	return p.Money(cents) + " " + per.Name()
}

// PerMass writes what a kilogram costs, of a pound where the person weighs in those.
func (p page) PerMass(cents float64) string {
	if p.Actor.Masses() == unit.PoundScale {
		cents *= unit.KilogramsPerPound
	}
	return p.Cost(cents) + "/" + p.MassUnit()
}

// PricesFor are what a price may be for.
func (p page) PricesFor() []form.Option {
	return append([]form.Option{{Name: map[unit.MassScale]string{unit.KilogramScale: "a kilo", unit.PoundScale: "a pound"}[p.Actor.Masses()]}}, named(lot.PricesFor, lot.PriceFor.Name)...)
}

// priceFor is a price with what it is for, chosen beside it.
func (in *input) priceFor(field string) (int64, lot.PriceFor) {
	if per := lot.PriceFor(in.Text(field + "_for")); per != "" {
		return in.Cents(field), per
	}
	return in.price(field), ""
}

// price is a price of a kilogram, or of a pound where the person weighs in those, in hundredths a
// kilogram.
func (in *input) price(field string) int64 {
	cents := in.Cents(field)
	if in.Masses == unit.PoundScale {
		cents = int64(math.Round(float64(cents) / unit.KilogramsPerPound))
	}
	return cents
}
