package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// LotReservation is fish of a lot that is reserved.
type LotReservation struct {
	ServiceID, DishID, LotID uuid.UUID
	At                       time.Time
	Dish                     string
	Plates                   int
	Kg                       float64
	Against                  string // why it may not be served then any more; "" while it may
}

// ReservedLots are the reservations of services that are not over, by lot, the soonest first.
func (k *Kitchen) ReservedLots(ctx context.Context) (map[uuid.UUID][]LotReservation, error) {
	rows, err := k.DB.OpenReservations(ctx, store.OpenReservationsParams{SiteID: ActorFrom(ctx).Site.ID, Since: k.Now().Add(-closeWithin)})
	if err != nil {
		return nil, fmt.Errorf("loading reservations: %w", err)
	}
	list := map[uuid.UUID][]LotReservation{}
	for _, r := range rows {
		list[r.LotID] = append(list[r.LotID], LotReservation{r.ServiceID, r.DishID, r.LotID, r.At, r.Dish, int(r.Plates), r.Kg, r.Against})
	}
	return list, nil
}

// ReservedOf is what is reserved of a lot, the soonest first.
func (k *Kitchen) ReservedOf(ctx context.Context, id uuid.UUID) ([]LotReservation, error) {
	rows, err := k.DB.ReservationsOfLots(ctx, store.ReservationsOfLotsParams{SiteID: ActorFrom(ctx).Site.ID, Lots: []uuid.UUID{id}})
	return mapped(rows, err, func(r store.ReservationsOfLotsRow) LotReservation {
		return LotReservation{r.ServiceID, r.DishID, r.LotID, r.At, r.Dish, int(r.Plates), r.Kg, r.Against}
	})
}

// Reserve reserves for a dish of a service what is free and fit for it, first expired, first out, as the plan shows it. What fell is
// given up for it. It returns how many plates it reserved.
func (k *Kitchen) Reserve(ctx context.Context, serviceID, dishID uuid.UUID) (plates int, err error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return 0, err
	}
	planned, d, err := k.PlannedDish(ctx, serviceID, dishID)
	if err != nil {
		return 0, err
	}
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		if row, err := tx.LockService(ctx, store.LockServiceParams{SiteID: a.Site.ID, ID: serviceID}); err != nil {
			return err
		} else if row.ClosedAt != nil {
			return invalid.Errors{{Field: "service", Message: "is over"}}
		}
		plates, err = k.reserve(ctx, tx, a.Site, planned.Service, d)
		if err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
	return plates, err
}

// reserve gives up what fell and reserves what is free. Each lot is assessed along where it will lie until the service: one that is
// not fit so is left out.
func (k *Kitchen) reserve(ctx context.Context, tx *store.Tx, site Site, s Service, d PlannedDish) (plates int, err error) {
	standing := map[uuid.UUID]Allotted{}
	for _, r := range d.Reserved {
		if r.Against == "" {
			standing[r.LotID] = r
		}
	}
	for _, r := range d.Fallen() {
		key := store.DropReservationParams{SiteID: site.ID, ServiceID: s.ID, DishID: d.ID, LotID: r.LotID}
		if stays, ok := standing[r.LotID]; ok { // some of it was taken
			err = tx.PutReservation(ctx, store.PutReservationParams{SiteID: key.SiteID, ServiceID: key.ServiceID, DishID: key.DishID,
				LotID: key.LotID, Plates: int64(stays.Plates), Kg: stays.Kg, PutUpAt: stays.PutUpAt})
		} else {
			err = tx.DropReservation(ctx, key)
		}
		if err != nil {
			return 0, fmt.Errorf("giving up a reservation: %w", err)
		}
	}
	ids := make([]uuid.UUID, len(d.Free))
	for i, f := range d.Free {
		ids[i] = f.LotID
	}
	states, err := k.states(ctx, tx.Queries, site, ids...)
	if err != nil {
		return 0, err
	}
	env, err := k.environmentFor(ctx, tx.Queries, site, states)
	if err != nil {
		return 0, err
	}
	for _, state := range states {
		f := d.Free[slices.Index(ids, state.ID)]
		if u := assess.Assess(state, env.Env, env.Now).ServedThen(d.gate(), s.At, d.stationPlan(s.At, env.Places)...); !u.OK {
			continue
		}
		row := store.PutReservationParams{SiteID: site.ID, ServiceID: s.ID, DishID: d.ID, LotID: f.LotID, Plates: int64(f.Plates), Kg: f.Kg}
		if was, ok := standing[f.LotID]; ok {
			row.Plates, row.Kg, row.PutUpAt = row.Plates+int64(was.Plates), row.Kg+was.Kg, was.PutUpAt
		}
		if err := tx.PutReservation(ctx, row); err != nil {
			return plates, fmt.Errorf("reserving lot %s: %w", f.Code, err)
		}
		plates += f.Plates
	}
	return plates, k.refresh(ctx, tx, site, ids...) // the board shows it
}

// stationPlan is where fish for the dish lies from when it is put up, of a service at an hour; none where the dish has no station.
func (d Dish) stationPlan(at time.Time, places map[int64]lot.Place) []assess.Planned {
	return stationPlan(d.StationID, d.PutUp, at, places)
}

func stationPlan(station int64, before time.Duration, at time.Time, places map[int64]lot.Place) []assess.Planned {
	p, ok := places[station]
	if !ok || before <= 0 {
		return nil
	}
	c := assess.ExposedC(p)
	if p.Cold() {
		c = p.SetC + assess.AssumedMargin
	}
	return []assess.Planned{{From: at.Add(-before), Name: p.Name, Celsius: c, Boundary: p.Boundary(), Exposed: !p.Cold()}}
}

// Release gives a reservation up.
func (k *Kitchen) Release(ctx context.Context, serviceID, dishID, lotID uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.DropReservation(ctx, store.DropReservationParams{SiteID: a.Site.ID, ServiceID: serviceID, DishID: dishID,
			LotID: lotID}); err != nil {
			return fmt.Errorf("giving up a reservation: %w", err)
		}
		if err := k.refresh(ctx, tx, a.Site, lotID); err != nil { // the board shows it
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// follow lets what is reserved of lots go on with the lots that were made of them in the transaction, and judges again what is reserved of
// all that were changed.
func (c *change) follow(ctx context.Context) error {
	var ids []uuid.UUID
	for _, l := range c.lots {
		if l.reserved && l.state != l.was {
			ids = append(ids, l.head.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	list, err := c.ReservationsOfLots(ctx, store.ReservationsOfLotsParams{SiteID: c.a.Site.ID, Lots: ids})
	if err != nil {
		return fmt.Errorf("loading what is reserved: %w", err)
	}
	if len(list) == 0 {
		return nil
	}
	gone := map[uuid.UUID]float64{} // kilos of a new lot that something is reserved of
	for _, r := range list {
		from := c.lotOf(r.LotID)
		left := store.PutReservationParams{SiteID: r.SiteID, ServiceID: r.ServiceID, DishID: r.DishID, LotID: r.LotID, Plates: r.Plates, Kg: r.Kg,
			PutUpAt: r.PutUpAt, Against: r.Against}
		dish, err := c.Dish(ctx, store.DishParams{SiteID: r.SiteID, ID: r.DishID})
		if err != nil {
			return fmt.Errorf("loading the dish: %w", err)
		}
		for _, child := range c.madeOf(from.state) {
			o, ok := dishOf(dish).From(fishOf(child.state))
			if cutOff := child.state.Form == r.Part && from.state.Form != r.Part; !ok || from.state.Status == lot.OnHand && !cutOff {
				continue // what is left of the lot keeps what is reserved of it
			}
			each := child.state.WeightKg * float64(o.Plate) / float64(o.Units)
			n := min(int(left.Plates), int((child.state.WeightKg-gone[child.head.ID])/each+1e-6))
			if n <= 0 {
				continue
			}
			kg := float64(n) * each
			gone[child.head.ID] += kg
			moved := left
			moved.LotID, moved.Plates, moved.Kg = child.head.ID, int64(n), kg
			if err := c.PutReservation(ctx, moved); err != nil {
				return fmt.Errorf("reserving lot %s: %w", child.state.Received.Code, err)
			}
			left.Kg -= left.Kg * float64(n) / float64(left.Plates)
			left.Plates -= int64(n)
			if left.Plates == 0 {
				break
			}
		}
		if left.Plates == 0 {
			err = c.DropReservation(ctx, store.DropReservationParams{SiteID: r.SiteID, ServiceID: r.ServiceID, DishID: r.DishID, LotID: r.LotID})
		} else if left.Plates < r.Plates {
			err = c.PutReservation(ctx, left)
		}
		if err != nil {
			return fmt.Errorf("what is reserved of lot %s: %w", from.state.Received.Code, err)
		}
	}
	return c.k.judgeReserved(ctx, c.Tx, c.a.Site, c.states(), c.env.Env)
}

// lotOf is a lot that the transaction opened.
func (c *change) lotOf(id uuid.UUID) *changedLot {
	return c.lots[slices.IndexFunc(c.lots, func(l *changedLot) bool { return l.head.ID == id })]
}

// madeOf are the lots that the transaction made of one, and the one that it was put together with, in their order.
func (c *change) madeOf(s *lot.State) (list []*changedLot) {
	for _, l := range c.lots {
		if l.was == nil && l.state != nil && l.state.Parent == s.ID && l.state.Status == lot.OnHand {
			list = append(list, l)
		}
		if s.Status == lot.WasMerged && slices.ContainsFunc(l.state.Others, func(o *lot.State) bool { return o.ID == s.ID }) {
			list = append(list, l)
		}
	}
	return list
}

// judgeReserved notes of what is reserved of lots whether it may still be served.
func (k *Kitchen) judgeReserved(ctx context.Context, tx *store.Tx, site Site, states []*lot.State, env assess.Env) error {
	ids := make([]uuid.UUID, len(states))
	for i, s := range states {
		ids[i] = s.ID
	}
	list, err := tx.ReservationsOfLots(ctx, store.ReservationsOfLotsParams{SiteID: site.ID, Lots: ids})
	if err != nil {
		return fmt.Errorf("loading what is reserved: %w", err)
	}
	for _, r := range list {
		against := againstReserved(states[slices.Index(ids, r.LotID)], env, r)
		if against == r.Against {
			continue
		}
		if err := tx.SetAgainst(ctx, store.SetAgainstParams{SiteID: site.ID, ServiceID: r.ServiceID, DishID: r.DishID, LotID: r.LotID,
			Against: against}); err != nil {
			return fmt.Errorf("judging what is reserved: %w", err)
		}
	}
	return nil
}

// againstReserved is why fish may not be served as it is reserved, "" where it may.
func againstReserved(s *lot.State, env assess.Env, r store.ReservationsOfLotsRow) string {
	if s.Status != lot.OnHand {
		return "is not here any more: " + s.Status.Name()
	}
	d := Dish{}
	d.Raw, d.PutUp = r.Raw, minutes(r.PutUpMinutes)
	if r.StationID != nil && r.PutUpAt == nil {
		d.StationID = *r.StationID
	}
	u := assess.Assess(s, env, env.Now).ServedThen(d.gate(), r.At, d.stationPlan(r.At, env.Places)...)
	switch {
	case u.OK:
		return ""
	case s.Hold != "":
		return "is on hold: " + s.Hold
	}
	return cmp.Or(u.Brief, u.Reasons[0])
}
