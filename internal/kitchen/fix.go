package kitchen

import (
	"context"
	"fmt"
	"math"
	"slices"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// FixKind is a way to mend a shortage.
type FixKind string

// The ways, in the order in which they are shown.
const (
	FixReserve FixKind = "reserve" // what is free and fit
	FixAsk     FixKind = "ask"     // another kitchen for what it can spare
	FixBuy     FixKind = "buy"
	FixFewer   FixKind = "fewer" // plates
)

// Fix is a way to mend a shortage: what it costs, and how sure it is.
type Fix struct {
	Kind   FixKind
	Plates int     // that there are with it
	Cents  float64 // that it costs
	Sure   float64 // chance that nobody goes without
	Lots   []Allotted
	Spare  []Spare
	Buy    *Purchase
}

// Fixes are the ways to mend what is missing of a dish: those that help at all, that are in time.
func (k *Kitchen) Fixes(ctx context.Context, serviceID, dishID uuid.UUID) (PlannedService, PlannedDish, []Fix, error) {
	s, d, err := k.PlannedDish(ctx, serviceID, dishID)
	if err != nil {
		return s, d, nil, err
	}
	there := d.There()
	var list []Fix
	if free := d.FreePlates(); free > 0 {
		f := Fix{Kind: FixReserve, Plates: there + free, Lots: d.Free, Sure: d.Enough(there + free)}
		for _, x := range d.Free {
			f.Cents += x.CostCents * x.Kg / x.WeightKg
		}
		list = append(list, f)
	}
	spare, err := k.spareFor(ctx, s.Service, d)
	if err != nil {
		return s, d, nil, err
	}
	if len(spare) > 0 {
		f := Fix{Kind: FixAsk, Plates: there + d.FreePlates(), Spare: spare}
		for _, x := range spare {
			f.Plates, f.Cents = f.Plates+x.Plates, f.Cents+x.Cents
		}
		f.Sure = d.Enough(f.Plates)
		list = append(list, f)
	}
	b, err := k.newBuyer(ctx)
	if err != nil {
		return s, d, nil, err
	}
	if d.Missing() > 0 {
		for _, p := range b.lacking(s.Service, d, 0).Purchases {
			if p.InTime {
				list = append(list, Fix{Kind: FixBuy, Plates: there + d.FreePlates() + int(p.Plates), Cents: p.Cents, Sure: p.Enough * p.Accepted(),
					Buy: &p})
				break
			}
		}
	}
	if fewer := there + d.FreePlates(); fewer > 0 && fewer < d.Wanted {
		list = append(list, Fix{Kind: FixFewer, Plates: fewer, Sure: d.Enough(fewer)})
	}
	return s, d, list, nil
}

// Mend books all of one way to mend a shortage, what is free first.
func (k *Kitchen) Mend(ctx context.Context, id, serviceID, dishID uuid.UUID, kind FixKind) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	s, d, list, err := k.Fixes(ctx, serviceID, dishID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(f Fix) bool { return f.Kind == kind })
	if i < 0 {
		return invalid.Errors{{Field: "way", Message: "is not open any more: something changed since. Look at the ways again"}}
	}
	if kind == FixBuy {
		if err := a.need(access.Buy); err != nil {
			return err
		}
	}
	f := list[i]
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if len(d.Free) > 0 || len(d.Fallen()) > 0 {
			if _, err := k.reserve(ctx, tx, a.Site, s.Service, d); err != nil {
				return err
			}
		}
		var err error
		switch kind {
		case FixFewer:
			plates := int64(f.Plates)
			err = tx.SetPlates(ctx, store.SetPlatesParams{SiteID: a.Site.ID, ServiceID: serviceID, DishID: dishID, Plates: &plates})
		case FixBuy:
			o := Order{ID: id, Supplier: f.Buy.Supplier, DeliverAt: &f.Buy.Slot.At, Lines: []OrderLine{{SpeciesID: f.Buy.Species.ID,
				Form: f.Buy.Form, Count: f.Buy.Fish, WeightKg: weightUnless(f.Buy.Fish > 0, f.Buy.WholeKg),
				Price: int64(math.Round(f.Buy.CentsPerKg)), ServiceID: &serviceID, DishID: &dishID, Plates: int(f.Buy.Plates),
				Note: fmt.Sprintf("for %s, %s", d.Name, s.At.In(a.Zone()).Format("Mon 2 Jan 15:04"))}}}
			err = k.addOrder(ctx, tx, a, o)
		case FixAsk:
			err = k.askFor(ctx, tx, a, id, s.Service, d, f.Spare)
		}
		if err != nil {
			return fmt.Errorf("mending the plan: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// weightUnless is a weight, 0 where fish are counted.
func weightUnless(counted bool, kg float64) float64 {
	if counted {
		return 0
	}
	return kg
}
