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
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return err
	}
	for i, line := range d.Lines {
		prefix := fmt.Sprintf("lines[%d].", i)
		if _, ok := l.places[line.PlaceID]; !ok && line.PlaceID != 0 {
			bad.Add(prefix+"place_id", "is not a place of this kitchen")
		}
		err := lot.Check(nil, lot.Event{ID: d.ID, HappenedAt: d.ArrivedAt}, line, k.Now())
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
	return k.DB.Write(ctx, func(tx *store.Tx) error { return k.receive(ctx, tx, a, d) })
}

// supplierName trims the name of a supplier and checks it.
func supplierName(name string, bad *invalid.Errors) string {
	if name = strings.TrimSpace(name); name == "" || invalid.TooLong(name, 80) {
		bad.Add("supplier", "give the supplier's name, at most 80 characters")
	}
	return name
}

func (k *Kitchen) receive(ctx context.Context, tx *store.Tx, a Actor, d Delivery) error {
	_, err := tx.Docket(ctx, store.DocketParams{SiteID: a.Site.ID, ID: d.ID})
	if !errors.Is(err, ErrNotFound) {
		return err // nil: a resent form
	}
	supplier, err := tx.AddSupplier(ctx, store.AddSupplierParams{SiteID: a.Site.ID, Name: d.Supplier})
	if err != nil {
		return fmt.Errorf("adding the supplier: %w", err)
	}
	err = tx.AddDocket(ctx, store.AddDocketParams{SiteID: a.Site.ID, ID: d.ID, SupplierID: supplier.ID,
		Reference: d.Reference,
		ArrivedAt: d.ArrivedAt, RecordedAt: k.Now(), PersonID: a.Person.ID})
	if err != nil {
		return fmt.Errorf("adding the docket: %w", err)
	}
	ids := make([]uuid.UUID, len(d.Lines))
	for i, line := range d.Lines {
		n, err := tx.TakeLotNumber(ctx, a.Site.ID)
		if err != nil {
			return err
		}
		line.DeliveryID, line.Line, line.Code, line.SupplierID = d.ID, i+1, lot.Code(int(n)), supplier.ID
		ids[i] = NewID()
		if err := tx.AddLot(ctx, store.AddLotParams{SiteID: a.Site.ID, ID: ids[i], Code: line.Code,
			DocketID: d.ID}); err != nil {
			return fmt.Errorf("adding lot %s: %w", line.Code, err)
		}
		head := store.Lot{SiteID: a.Site.ID, ID: ids[i], HeadHash: []byte{}}
		if head, err = k.append(ctx, tx, a, head, Write{EventID: NewID(), LotID: ids[i], HappenedAt: d.ArrivedAt,
			Payload: line}); err != nil {
			return err
		}
		if d.Caught != nil {
			if _, err := k.append(ctx, tx, a, head, Write{EventID: NewID(), LotID: ids[i], HappenedAt: d.ArrivedAt,
				Payload: *d.Caught}); err != nil {
				return err
			}
		}
	}
	for i, line := range d.Lines {
		if line.MarketCheckID != uuid.Nil {
			if err := k.bought(ctx, tx, a, d, line.MarketCheckID, ids[i]); err != nil {
				return err
			}
		}
	}
	if d.OrderID != uuid.Nil {
		if err := tx.OrderCame(ctx, store.OrderCameParams{SiteID: a.Site.ID, ID: d.OrderID,
			ReceivedDocket: &d.ID}); err != nil {
			return fmt.Errorf("closing the order: %w", err)
		}
	}
	if err := k.refresh(ctx, tx, a.Site, ids...); err != nil {
		return err
	}
	return tx.Changed(ctx, a.Site.ID)
}

// NewID makes a UUIDv7.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }
