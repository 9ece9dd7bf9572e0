package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// OrderLine is one line of an order: fish, and how it is to be cleaned.
type OrderLine struct {
	SpeciesID string
	Form      string // as it is to arrive
	Count     int    // 0 where it is ordered by weight
	WeightKg  float64
	Off       []lot.Trim // what is to come off; all else stays on
	FeeCents  int64
	Price     int64        // hundredths; 0 where nobody said
	PriceFor  lot.PriceFor // what of; "" for a kilogram
	Note      string
	// what it is ordered for, and how many plates that comes to; nil where it is for nothing
	ServiceID, DishID *uuid.UUID
	Plates            int
}

// Order is an order to a supplier.
type Order struct {
	ID       uuid.UUID // from the client: the same order twice is one
	Supplier string
	PlacedAt time.Time
	Lines    []OrderLine
	// DeliverAt is when it is to arrive; nil where nobody said.
	DeliverAt *time.Time
	// of an order that was kept
	By          string
	SentAt      *time.Time
	CancelledAt *time.Time
	CameWith    *uuid.UUID // the delivery; nil while it is to come
}

// Cents is what the order comes to as far as its prices are known, with the cleaning.
func (o Order) Cents() (cents float64) {
	for _, l := range o.Lines {
		cents += l.Cents()
	}
	return cents
}

// Cents is what the line comes to, with the cleaning; the fee alone where its price is not known.
func (l OrderLine) Cents() float64 {
	of := l.WeightKg
	if l.PriceFor != "" {
		of = float64(max(l.Count, 1))
	}
	return float64(l.Price)*of + float64(l.FeeCents)
}

// PlaceOrder keeps an order until it comes in. Bad input is an invalid.Errors with fields "lines[n].…".
func (k *Kitchen) PlaceOrder(ctx context.Context, o Order) error { return k.PlaceOrders(ctx, o) }

// PlaceOrders keeps several, all or none.
func (k *Kitchen) PlaceOrders(ctx context.Context, orders ...Order) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	var bad invalid.Errors
	for n := range orders {
		o := &orders[n]
		o.Supplier = supplierName(o.Supplier, &bad)
		if len(o.Lines) == 0 {
			bad.Add("lines", "add at least one line")
		}
		for i, l := range o.Lines {
			l.check(a.Site.Catalogue(), fmt.Sprintf("lines[%d].", i), &bad)
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		for _, o := range orders {
			if err := k.addOrder(ctx, tx, a, o); err != nil {
				return err
			}
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

func (k *Kitchen) addOrder(ctx context.Context, tx *store.Tx, a Actor, o Order) error {
	supplier, err := tx.AddSupplier(ctx, store.AddSupplierParams{SiteID: a.Site.ID, Name: o.Supplier})
	if err != nil {
		return fmt.Errorf("adding the supplier: %w", err)
	}
	if err := tx.AddOrder(ctx, store.AddOrderParams{SiteID: a.Site.ID, ID: o.ID, SupplierID: supplier.ID,
		PlacedAt: k.Now(), PersonID: a.Person.ID, DeliverAt: o.DeliverAt}); err != nil {
		return fmt.Errorf("keeping the order: %w", err)
	}
	for i, l := range o.Lines {
		off := []string{}
		for _, t := range l.Off {
			off = append(off, string(t))
		}
		err := tx.AddOrderLine(ctx, store.AddOrderLineParams{SiteID: a.Site.ID, OrderID: o.ID, Line: int64(i + 1),
			Species: l.SpeciesID, Form: l.Form, Count: int64(l.Count), WeightKg: l.WeightKg, Off: off, FeeCents: l.FeeCents,
			PriceCents: l.Price, PriceFor: string(l.PriceFor), Note: l.Note, ServiceID: l.ServiceID, DishID: l.DishID, Plates: int64(l.Plates)})
		if err != nil {
			return fmt.Errorf("keeping line %d of the order: %w", i+1, err)
		}
	}
	return nil
}

func (l OrderLine) check(c species.Catalogue, prefix string, bad *invalid.Errors) {
	if _, ok := c.Get(l.SpeciesID); !ok {
		bad.Add(prefix+"species", "is not in the catalogue")
	}
	if !slices.Contains(lot.Forms, l.Form) {
		bad.Add(prefix+"form", "choose a form")
	}
	if l.Count < 0 || l.Count > 10000 {
		bad.Add(prefix+"count", "must be between 1 and 10 000, or empty")
	}
	if !(l.WeightKg >= 0 && l.WeightKg <= unit.MaxLotKilograms) {
		bad.Add(prefix+"weight_kg", "%v", unit.ErrMassRange)
	}
	if l.Count == 0 && l.WeightKg == 0 {
		bad.Add(prefix+"count", "say how many, or how much")
	}
	for _, t := range l.Off {
		if !slices.Contains(lot.TrimParts, t) {
			bad.Add(prefix+"off", "%q is not a part of a fish", t)
		}
	}
	if l.FeeCents < 0 || l.FeeCents > 10_000_000 {
		bad.Add(prefix+"fee", "must be between 0 and 100 000")
	}
	if l.Price < 0 || l.Price > 10_000_000 {
		bad.Add(prefix+"price", "must be between 0 and 100 000")
	}
	if l.PriceFor != "" && !slices.Contains(lot.PricesFor, l.PriceFor) {
		bad.Add(prefix+"price_for", "choose what the price is for")
	}
	if invalid.TooLong(l.Note, 200) {
		bad.Add(prefix+"note", "is longer than 200 characters")
	}
}

// OpenOrders lists the orders that have not come in yet, the one that comes first on top.
func (k *Kitchen) OpenOrders(ctx context.Context) ([]Order, error) {
	rows, err := k.DB.OpenOrders(ctx, ActorFrom(ctx).Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading orders: %w", err)
	}
	orders := make([]Order, len(rows))
	for i, r := range rows {
		orders[i] = orderOf(store.OrderRow{SiteID: r.SiteID, ID: r.ID, PlacedAt: r.PlacedAt, Supplier: r.Supplier, DeliverAt: r.DeliverAt, SentAt: r.SentAt})
	}
	return orders, k.withLines(ctx, orders)
}

// ordersBack is how far back orders are listed.
const ordersBack = 180 * 24 * time.Hour

// Orders lists the orders of the last months, the last first.
func (k *Kitchen) Orders(ctx context.Context) ([]Order, error) {
	rows, err := k.DB.Orders(ctx, store.OrdersParams{SiteID: ActorFrom(ctx).Site.ID, Since: k.Now().Add(-ordersBack)})
	if err != nil {
		return nil, fmt.Errorf("loading orders: %w", err)
	}
	orders := make([]Order, len(rows))
	for i, r := range rows {
		orders[i] = orderOf(store.OrderRow(r))
	}
	return orders, k.withLines(ctx, orders)
}

// Order returns one.
func (k *Kitchen) Order(ctx context.Context, id uuid.UUID) (Order, error) {
	row, err := k.DB.Order(ctx, store.OrderParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return Order{}, err
	}
	list := []Order{orderOf(row)}
	err = k.withLines(ctx, list)
	return list[0], err
}

func orderOf(r store.OrderRow) Order {
	return Order{ID: r.ID, Supplier: r.Supplier, PlacedAt: r.PlacedAt, DeliverAt: r.DeliverAt, By: r.Person, SentAt: r.SentAt,
		CancelledAt: r.CancelledAt, CameWith: r.ReceivedDocket}
}

// withLines gives orders their lines.
func (k *Kitchen) withLines(ctx context.Context, orders []Order) error {
	ids := make([]uuid.UUID, len(orders))
	for i, o := range orders {
		ids[i] = o.ID
	}
	lines, err := k.DB.OrderLines(ctx, store.OrderLinesParams{SiteID: ActorFrom(ctx).Site.ID, Orders: ids})
	if err != nil {
		return fmt.Errorf("loading the lines of orders: %w", err)
	}
	for _, l := range lines {
		i := slices.Index(ids, l.OrderID)
		orders[i].Lines = append(orders[i].Lines, orderLine(l))
	}
	return nil
}

// CancelOrder takes an order back that has not come in.
func (k *Kitchen) CancelOrder(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.CancelOrder(ctx, store.CancelOrderParams{SiteID: a.Site.ID, ID: id, CancelledAt: &now})
		if err != nil {
			return fmt.Errorf("cancelling the order: %w", err)
		}
		if n == 0 {
			return invalid.Errors{{Field: "order", Message: "has come in, or was cancelled already"}}
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// OrderSent notes that an order went to its supplier.
func (k *Kitchen) OrderSent(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Buy); err != nil {
		return err
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.OrderSent(ctx, store.OrderSentParams{SiteID: a.Site.ID, ID: id, SentAt: &now}); err != nil {
			return fmt.Errorf("noting that the order was sent: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// OpenOrder returns an order that has not come in yet.
func (k *Kitchen) OpenOrder(ctx context.Context, id uuid.UUID) (Order, error) {
	orders, err := k.OpenOrders(ctx)
	if err != nil {
		return Order{}, err
	}
	i := slices.IndexFunc(orders, func(o Order) bool { return o.ID == id })
	if i < 0 {
		return Order{}, ErrNotFound
	}
	return orders[i], nil
}

func orderLine(r store.PurchaseLine) OrderLine {
	l := OrderLine{SpeciesID: r.Species, Form: r.Form, Count: int(r.Count), WeightKg: r.WeightKg,
		FeeCents: r.FeeCents, Price: r.PriceCents, PriceFor: lot.PriceFor(r.PriceFor), Note: r.Note,
		ServiceID: r.ServiceID, DishID: r.DishID, Plates: int(r.Plates)}
	for _, t := range r.Off {
		l.Off = append(l.Off, lot.Trim(t))
	}
	return l
}

// Ordered is what a line of a delivery says of its order.
func (o Order) Ordered(line int) *lot.Ordered {
	if line < 0 || line >= len(o.Lines) {
		return nil
	}
	l := o.Lines[line]
	return &lot.Ordered{OrderID: o.ID, Off: l.Off, FeeCents: l.FeeCents, WeightKg: l.WeightKg, Count: l.Count,
		Note: l.Note, Line: line + 1, Form: l.Form}
}

// OrderedLine is a line of an order beside what came for it.
type OrderedLine struct {
	OrderLine
	Came   *Row // nil: it did not come
	Words  []string
	KgOver float64 // below 0: short; 0 where it is near enough
}

// against holds what came with a delivery against its order; nil where it answers none.
func (k *Kitchen) against(ctx context.Context, delivery uuid.UUID, rows []Row) ([]OrderedLine, error) {
	a := ActorFrom(ctx)
	orders, err := k.DB.OrderOfDocket(ctx, store.OrderOfDocketParams{SiteID: a.Site.ID, ReceivedDocket: &delivery})
	if err != nil || len(orders) == 0 {
		return nil, err
	}
	lines, err := k.DB.OrderLines(ctx, store.OrderLinesParams{SiteID: a.Site.ID, Orders: []uuid.UUID{orders[0].ID}})
	if err != nil {
		return nil, fmt.Errorf("loading the lines of the order: %w", err)
	}
	ids := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		ids[i] = r.LotID
	}
	states, err := k.states(ctx, k.DB.Queries, a.Site, ids...)
	if err != nil {
		return nil, err
	}
	list := make([]OrderedLine, len(lines))
	for i, l := range lines {
		list[i] = OrderedLine{OrderLine: orderLine(l), Words: []string{"did not come"}}
		for _, s := range states {
			r := s.Received
			if r.Ordered == nil || r.Ordered.Line != int(l.Line) {
				continue
			}
			row := rows[slices.Index(ids, s.ID)]
			list[i].Came = &row
			list[i].Words, list[i].KgOver = r.Ordered.Differs(r.Count, r.WeightKg, r.Form)
		}
	}
	return list, nil
}
