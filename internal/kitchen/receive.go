package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Delivery is a delivery as it comes in: its lines become lots.
type Delivery struct {
	ID        uuid.UUID // from the client: the same delivery twice is one
	Supplier  string    // by name; a new one is added
	Reference string    // the number on the supplier's paper
	ArrivedAt time.Time
	OrderID   uuid.UUID      // the order that came in with it; zero for none
	Caught    *lot.Caught    // how our own catch came on deck; nil for what somebody delivers
	Unlisted  []string       // names of fish that nobody finds in the catalogue: each becomes a species of the kitchen's own
	Unread    invalid.Errors // what could not be read of it: with any of it nothing is stored
	Lines     []lot.Received // DeliveryID, Line, Code and SupplierID are filled in here
}

// Receive stores a delivery and makes a lot of each line, all or nothing. Errors
// of line n (from 0) are fields "lines[n].…".
func (k *Kitchen) Receive(ctx context.Context, d Delivery) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	bad := slices.Clone(d.Unread)
	d.Supplier = supplierName(d.Supplier, &bad)
	if invalid.TooLong(d.Reference, 80) {
		bad.Add("reference", "is longer than 80 characters")
	}
	switch {
	case d.ArrivedAt.IsZero():
		bad.Add("arrived_at", "give the day and the hour")
	case d.ArrivedAt.After(k.Now().Add(time.Minute)):
		bad.Add("arrived_at", "lies in the future")
	}
	if len(d.Lines) == 0 {
		bad.Add("lines", "add at least one line")
	}
	w, err := k.newEnvironment(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return err
	}
	w.Catalogue = a.Site.withUnlisted(d.Unlisted)
	facts := w.Facts()
	for i, line := range d.Lines {
		prefix := fmt.Sprintf("lines[%d].", i)
		_, err := lot.Admit(nil, facts, lot.Event{ID: d.ID, HappenedAt: d.ArrivedAt}, line)
		var fields invalid.Errors
		if errors.As(err, &fields) {
			for _, f := range fields.Under(prefix) {
				if f.Field != prefix+"happened_at" { // said above, once
					bad = append(bad, f)
				}
			}
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.change(ctx, func(c *change) error {
		_, err := c.receive(ctx, d)
		return err
	})
}

// supplierName trims the name of a supplier and checks it.
func supplierName(name string, bad *invalid.Errors) string {
	if name = strings.TrimSpace(name); name == "" || invalid.TooLong(name, 80) {
		bad.Add("supplier", "give the supplier's name, at most 80 characters")
	}
	return name
}

// receive stores a delivery and returns the lots of its lines; none for a form that was sent twice.
func (c *change) receive(ctx context.Context, d Delivery) ([]*changedLot, error) {
	site := c.a.Site.ID
	_, err := c.Docket(ctx, store.DocketParams{SiteID: site, ID: d.ID})
	if !errors.Is(err, ErrNotFound) {
		return nil, err
	}
	if err := c.unlisted(ctx, d.Unlisted); err != nil {
		return nil, err
	}
	supplier, err := c.AddSupplier(ctx, store.AddSupplierParams{SiteID: site, Name: d.Supplier})
	if err != nil {
		return nil, fmt.Errorf("adding the supplier: %w", err)
	}
	err = c.AddDocket(ctx, store.AddDocketParams{SiteID: site, ID: d.ID, SupplierID: supplier.ID,
		Reference: d.Reference,
		ArrivedAt: d.ArrivedAt, RecordedAt: c.k.Now(), PersonID: c.a.Person.ID})
	if err != nil {
		return nil, fmt.Errorf("adding the docket: %w", err)
	}
	lots := make([]*changedLot, len(d.Lines))
	for i, line := range d.Lines {
		id, code, err := c.newNumber(ctx)
		if err != nil {
			return nil, err
		}
		if lots[i], err = c.add(ctx, id, code, d.ID); err != nil {
			return nil, err
		}
		line.DeliveryID, line.Line, line.Code, line.SupplierID = d.ID, i+1, code, supplier.ID
		writes := []Write{{EventID: NewID(), HappenedAt: d.ArrivedAt, Payload: line}}
		if d.Caught != nil {
			writes = append(writes, Write{EventID: NewID(), HappenedAt: d.ArrivedAt, Payload: *d.Caught})
		}
		if err := c.append(ctx, lots[i], writes...); err != nil {
			return nil, err
		}
	}
	for i, line := range d.Lines {
		if line.MarketCheckID != uuid.Nil {
			if err := c.bought(ctx, lots[i], d, line.MarketCheckID); err != nil {
				return nil, err
			}
		}
	}
	if d.OrderID == uuid.Nil {
		return lots, nil
	}
	if err := c.OrderCame(ctx, store.OrderCameParams{SiteID: site, ID: d.OrderID, ReceivedDocket: &d.ID}); err != nil {
		return nil, fmt.Errorf("closing the order: %w", err)
	}
	return lots, nil
}

// NewID makes a UUIDv7.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }
