package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// PutUp is what was put up for a dish, and what was not.
type PutUp struct {
	Plates int
	Waits  []string // why lots were not put up: they are frozen, or to be cut first
}

// PutUp moves what is reserved for a dish to its station, and asks the gate for it now and for the hour of the service: what may not be
// served refuses all of it, on the field lots. Of a lot that is not reserved whole a part goes. id is from the client: sent twice it
// counts once.
func (k *Kitchen) PutUp(ctx context.Context, id, serviceID, dishID uuid.UUID) (up PutUp, err error) {
	planned, d, err := k.PlannedDish(ctx, serviceID, dishID)
	if err != nil {
		return up, err
	}
	err = k.change(ctx, func(c *change) error {
		if row, err := c.LockService(ctx, store.LockServiceParams{SiteID: c.a.Site.ID, ID: serviceID}); err != nil {
			return err
		} else if row.ClosedAt != nil {
			return invalid.Errors{{Field: "service", Message: "is over"}}
		}
		var bad invalid.Errors
		for _, r := range d.Reserved {
			why := r.waits()
			switch {
			case r.PutUpAt != nil:
			case why != "":
				up.Waits = append(up.Waits, r.Code+" "+why)
			default:
				if err := c.putUp(ctx, id, planned.Service, d, r, &bad); err != nil {
					return err
				}
				up.Plates += r.Plates
			}
		}
		if err := bad.Err(); err != nil {
			return err
		}
		all := int64(up.Plates)
		if d.PutUpPlates != nil {
			all += int64(*d.PutUpPlates)
		}
		return c.SetPutUp(ctx, store.SetPutUpParams{SiteID: c.a.Site.ID, ServiceID: serviceID, DishID: dishID, PutUp: &all})
	})
	return up, err
}

// waits is why fish that is reserved is not put up yet, "" where it may be.
func (r Allotted) waits() string {
	switch {
	case r.Against != "":
		return r.Against
	case r.Thaw != nil:
		return "is frozen: thaw it first"
	case r.in(assess.StageThawing):
		return "thaws: measure its core first"
	case r.hangs():
		return "hangs: take it out first"
	case r.Cut:
		return "is to be cut first"
	}
	return ""
}

// wholeLot is the share of a lot from which on all of it is put up (house).
const wholeLot = 0.97

func (c *change) putUp(ctx context.Context, id uuid.UUID, s Service, d PlannedDish, r Allotted, bad *invalid.Errors) error {
	now := c.k.Now()
	eventID := func(what string) uuid.UUID { return uuid.NewSHA1(id, []byte(r.LotID.String()+what)) }
	l, err := c.openOne(ctx, Write{EventID: eventID("split"), LotID: r.LotID})
	if err != nil || l == nil {
		return err
	}
	if err := c.load(ctx, now, l.state); err != nil {
		return err
	}
	if l.state.Frozen() || l.state.Thawing() {
		bad.Add("lots", "%s is frozen, or thaws", r.Code)
		return nil
	}
	a := assess.Assess(l.state, c.env.Env, now)
	for _, at := range []time.Time{now, s.At} {
		if u := a.ServedThen(d.gate(), at, d.stationPlan(s.At, c.env.Places)...); !u.OK {
			bad.Add("lots", "%s may not be served: %s", r.Code, u.Reasons[0])
			return nil
		}
	}
	if d.StationID != 0 && r.Kg < wholeLot*l.state.WeightKg {
		count := max(1, min(l.state.Count-1, int(math.Round(float64(l.state.Count)*r.Kg/l.state.WeightKg))))
		part, err := c.splitOff(ctx, l, Write{EventID: eventID("split"), LotID: r.LotID, HappenedAt: now}, count, r.Kg)
		if err != nil {
			return err
		}
		if err := c.DropReservation(ctx, store.DropReservationParams{SiteID: c.a.Site.ID, ServiceID: s.ID, DishID: d.ID,
			LotID: r.LotID}); err != nil {
			return fmt.Errorf("putting up: %w", err)
		}
		l, r.LotID = part, part.head.ID
	}
	if d.StationID != 0 && l.state.Place() != d.StationID {
		if err := c.append(ctx, l, Write{EventID: eventID("move"), LotID: r.LotID, HappenedAt: now,
			Payload: lot.Moved{PlaceID: d.StationID}}); err != nil {
			return err
		}
	}
	err = c.PutReservation(ctx, store.PutReservationParams{SiteID: c.a.Site.ID, ServiceID: s.ID, DishID: d.ID, LotID: r.LotID,
		Plates: int64(r.Plates), Kg: r.Kg, PutUpAt: &now})
	if err != nil {
		return fmt.Errorf("putting up: %w", err)
	}
	return nil
}

// ServiceResult is what a service came to.
type ServiceResult struct {
	ID     uuid.UUID // from the client: the same result twice is one
	Came   int       // guests
	Dishes map[uuid.UUID]DishResult
	LeftTo int64 // the place where what is left goes; 0: it stays where it is
}

// DishResult is what a dish came to: what is left and what was thrown away, in plates. All else was served; of a dish for which
// nothing was reserved it is said how many.
type DishResult struct {
	Left, Wasted, Served int
	LeftKg               *float64 // weighed; nil where nobody did
}

// CloseService records what a service came to: what was served and what was thrown away leaves its lots, which pass the gate as they do
// when it is taken by hand; what is left stays, and is free. Errors are on came, and "left-" and "wasted-" with the id of the dish.
func (k *Kitchen) CloseService(ctx context.Context, serviceID uuid.UUID, in ServiceResult) error {
	if s, err := k.Service(ctx, serviceID); err != nil || s.ClosedAt != nil { // sent twice
		return err
	}
	planned, err := k.PlannedService(ctx, serviceID)
	if err != nil {
		return err
	}
	now := k.Now()
	var bad invalid.Errors
	if planned.At.After(now) {
		bad.Add("service", "is not over: it begins at %s", planned.At.In(ActorFrom(ctx).Zone()).Format("15:04"))
	}
	if in.Came < 0 || in.Came > 5000 {
		bad.Add("came", "must be between 0 and 5 000")
	}
	for _, d := range planned.Dishes {
		r := in.Dishes[d.ID]
		if there := d.There(); r.Left < 0 || r.Wasted < 0 || r.Left+r.Wasted > there {
			bad.Add("left-"+d.ID.String(), "left and waste are more than the %d plates that there were", there)
		}
		if r.LeftKg != nil && !(*r.LeftKg >= 0 && *r.LeftKg <= d.kg()+0.005) {
			bad.Add("left_kg-"+d.ID.String(), "is more than the %.2f kg that there were", d.kg())
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.change(ctx, func(c *change) error {
		row, err := c.LockService(ctx, store.LockServiceParams{SiteID: c.a.Site.ID, ID: serviceID})
		if err != nil || row.ClosedAt != nil { // sent twice
			return err
		}
		for _, d := range planned.Dishes {
			if err := c.closeDish(ctx, planned.Service, d, in); err != nil {
				return err
			}
		}
		came := int64(in.Came)
		if err := c.Tx.CloseService(ctx, store.CloseServiceParams{SiteID: c.a.Site.ID, ID: serviceID, Came: &came, ClosedAt: &now}); err != nil {
			return fmt.Errorf("closing the service: %w", err)
		}
		return nil
	})
}

// kg is what the fish weighs that may be served.
func (d PlannedDish) kg() (kg float64) {
	for _, r := range d.Reserved {
		if r.Against == "" {
			kg += r.Kg
		}
	}
	return kg
}

// closeDish lets what was served of a dish, and what was thrown away, leave its lots: of those that end first first.
func (c *change) closeDish(ctx context.Context, s Service, d PlannedDish, in ServiceResult) error {
	result := in.Dishes[d.ID]
	served, wasted := d.There()-result.Left-result.Wasted, result.Wasted
	sold, usedKg := int64(served), (*float64)(nil)
	if d.There() == 0 {
		sold = int64(result.Served)
	}
	share := 1.0 // of what the plates weigh by their recipe
	if result.LeftKg != nil && served+wasted > 0 {
		used := d.kg() - *result.LeftKg
		share = used / (d.kg() * float64(served+wasted) / float64(d.There()))
		if wasted == 0 {
			usedKg = &used
		}
	}
	use := lot.UsedCooked
	if d.Raw {
		use = lot.UsedRaw
	}
	standing := slices.DeleteFunc(slices.Clone(d.Reserved), func(r Allotted) bool { return r.Against != "" })
	slices.SortStableFunc(standing, func(a, b Allotted) int { return cmp.Or(usedFirst(a.Row, b.Row), cmp.Compare(a.Code, b.Code)) })
	for _, r := range standing {
		n := min(served, r.Plates)
		waste := min(wasted, r.Plates-n)
		served, wasted = served-n, wasted-waste
		if err := c.leave(ctx, s, d, in, r, use, n, waste, share); err != nil {
			return err
		}
	}
	return c.SetSold(ctx, store.SetSoldParams{SiteID: c.a.Site.ID, ServiceID: s.ID, DishID: d.ID, Sold: &sold,
		LeftOver: optionalInt64(&result.Left), Wasted: optionalInt64(&result.Wasted), UsedKg: usedKg})
}

// leave lets plates that were served, and that were thrown away, leave a lot; what is left goes where it is to go.
func (c *change) leave(ctx context.Context, s Service, d PlannedDish, in ServiceResult, r Allotted, use lot.EndUse, served, wasted int,
	share float64) error {
	eventID := func(what string) uuid.UUID { return uuid.NewSHA1(in.ID, []byte(d.ID.String()+r.LotID.String()+what)) }
	l, err := c.reopen(ctx, r.LotID)
	if err != nil {
		return err
	}
	each := r.Kg / float64(r.Plates) * share
	for _, out := range []struct {
		plates int
		p      lot.Taken
		what   string
	}{{served, lot.Taken{EndUse: use, Note: d.Name}, "served"}, {wasted, lot.Taken{EndUse: lot.UsedWaste, Reason: lot.WasteLeftOver,
		Note: d.Name}, "wasted"}} {
		if out.plates == 0 || l.state.Status != lot.OnHand {
			continue
		}
		if out.p.WeightKg = each * float64(out.plates); out.p.WeightKg > wholeLot*l.state.WeightKg {
			out.p.WeightKg, out.p.All = 0, true
		}
		err := c.append(ctx, l, Write{EventID: eventID(out.what), LotID: r.LotID, HappenedAt: s.servedAt(c.k.Now()), Payload: out.p})
		if wrong, ok := err.(invalid.Errors); ok {
			return invalid.Errors{{Field: "left-" + d.ID.String(), Message: fmt.Sprintf("lot %s: %s", r.Code, wrong[0].Message)}}
		} else if err != nil {
			return err
		}
	}
	if l.state.Status != lot.OnHand || in.LeftTo == 0 || l.state.Place() == in.LeftTo || r.PutUpAt == nil {
		return nil
	}
	return c.append(ctx, l, Write{EventID: eventID("put away"), LotID: r.LotID, HappenedAt: c.k.Now(), Payload: lot.Moved{PlaceID: in.LeftTo}})
}

// servedAt is when what a service serves leaves.
func (s Service) servedAt(now time.Time) time.Time {
	if now.Before(s.At) {
		return now
	}
	return s.At
}
