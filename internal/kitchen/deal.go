package kitchen

import (
	"context"
	"fmt"
	"math"
	"time"

	"leancatch/internal/core/freezing"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
	"leancatch/internal/core/unit"
)

// DealOffer is fish that somebody offers.
type DealOffer struct {
	SpeciesID  string
	Form       string
	Kg         float64
	FishKg     float64 // what one weighs; 0 for the usual
	CentsPerKg float64
	WeeklyKg   *float64 // that the kitchen uses a week; nil as its services say
	Frozen     bool
}

// DealCheck is what a deal is worth to the kitchen.
type DealCheck struct {
	DealOffer
	Species  species.Species
	Deal     planning.Deal
	Worth    planning.Worth
	Usual    []UsualPrice // what it usually costs here, by supplier
	Part     string       // that a usable kilogram is of
	Fresh    float64      // hundredths of a usable kilogram, eaten fresh; frozen it costs Later
	Later    float64
	Freezer  *FreezerPlace // the one with the most room; nil for none
	Freezing *freezing.Forecast
	Season   string
	Learned  bool // the weekly use is by services of before
}

// usedOver is how far back services tell what is used a week.
const usedOver = 8 * 7 * 24 * time.Hour

// trimLater is what is trimmed off fish that was frozen, a share (common practice, no source).
const trimLater = 0.02

// CheckDeal works out how much of an offer the kitchen can use: fresh while it keeps, frozen while there is room, quickly enough, and eaten
// in time. Errors are on species, form, weight_kg, price and weekly_kg.
func (k *Kitchen) CheckDeal(ctx context.Context, o DealOffer) (DealCheck, error) {
	a := ActorFrom(ctx)
	c := DealCheck{DealOffer: o}
	var bad invalid.Errors
	var ok bool
	if c.Species, ok = a.Site.Catalogue().Get(o.SpeciesID); !ok {
		bad.Add("species", "is not in the catalogue")
	}
	if !(o.Kg > 0 && o.Kg <= unit.MaxLotKilograms) {
		bad.Add("weight_kg", "%v", unit.ErrMassRange)
	}
	if !(o.CentsPerKg >= 0 && o.CentsPerKg <= 10_000_000) {
		bad.Add("price", "must be between 0 and 100 000")
	}
	if o.WeeklyKg != nil && !(*o.WeeklyKg >= 0 && *o.WeeklyKg <= unit.MaxLotKilograms) {
		bad.Add("weekly_kg", "%v", unit.ErrMassRange)
	}
	if err := bad.Err(); err != nil {
		return c, err
	}
	if err := k.usual(ctx, &c); err != nil {
		return c, err
	}
	c.Deal = planning.Deal{OfferedKg: o.Kg, RoomKg: math.Inf(1), AtOnceKg: math.Inf(1), FreshDays: c.Species.ShelfLife.Lo / 2}
	share, err := k.usableShare(ctx, &c)
	if err != nil {
		return c, err
	}
	if o.Frozen {
		c.Deal.FreshDays = 0
	}
	if share > 0 {
		c.Fresh, c.Later = o.CentsPerKg/share, o.CentsPerKg/share/(1-thawing.DripShare)/(1-trimLater)
	}
	if c.Deal.WeeklyKg, err = k.weekly(ctx, &c, share); err != nil {
		return c, err
	}
	if err := k.freezes(ctx, &c); err != nil {
		return c, err
	}
	c.Worth = c.Deal.Worth()
	c.Season = SeasonHint(c.Species, k.Now())
	return c, nil
}

// usual fills in what the fish usually costs, and weighs.
func (k *Kitchen) usual(ctx context.Context, c *DealCheck) error {
	prices, err := k.UsualPrices(ctx)
	if err != nil {
		return err
	}
	for _, u := range prices {
		if u.Species.ID == c.SpeciesID && u.Form == c.Form && u.Frozen == c.Frozen && u.CentsPerKg > 0 {
			c.Usual = append(c.Usual, u)
			if c.FishKg == 0 {
				c.FishKg = u.FishKg
			}
		}
	}
	if c.FishKg == 0 {
		c.FishKg = 1
	}
	return nil
}

// usableShare is the share of it that ends on plates, of the part that its flanks are cut into.
func (k *Kitchen) usableShare(ctx context.Context, c *DealCheck) (float64, error) {
	if _, whole := species.BasisOf(c.Form); !whole {
		return 1, nil
	}
	c.Part = "fillet_skin_on"
	if c.Species.Body == species.LargePelagic {
		c.Part = "loin"
	}
	yields, err := k.yields(ctx)
	if err != nil {
		return 0, err
	}
	return yields(c.Species, c.Form, c.Part).Mid, nil
}

// weekly is how much of it the kitchen uses a week, as bought: as it was said, else by the plates of its services.
func (k *Kitchen) weekly(ctx context.Context, c *DealCheck, share float64) (float64, error) {
	if c.WeeklyKg != nil {
		return *c.WeeklyKg, nil
	}
	past, err := k.pastServices(ctx, usedOver)
	if err != nil || len(past) == 0 || share == 0 {
		return 0, err
	}
	kg, first := 0.0, past[len(past)-1].At
	for _, s := range past {
		for _, d := range s.Dishes {
			if d.Sold != nil && d.Takes(c.SpeciesID) {
				kg += float64(*d.Sold) * d.PlateKg() / share / float64(len(d.Dish.Dish.Species))
			}
		}
	}
	c.Learned = true
	return kg / math.Max(1, k.Now().Sub(first).Hours()/24/7), nil
}

// freezes fills in what the freezer takes of it.
func (k *Kitchen) freezes(ctx context.Context, c *DealCheck) error {
	freezers, err := k.Freezers(ctx)
	if err != nil {
		return err
	}
	for i, f := range freezers {
		if c.Freezer == nil || room(f) > room(*c.Freezer) {
			c.Freezer = &freezers[i]
		}
	}
	if c.Freezer == nil {
		return nil
	}
	c.Deal.RoomKg = room(*c.Freezer)
	months, err := frozen.Life(frozen.FatClass(c.Species.Fat), c.Freezer.AirC)
	if err != nil {
		return nil // too warm a freezer keeps nothing
	}
	c.Deal.FrozenDays, c.Deal.MayFreeze = months*365.25/12/2, true // half of it is left for who eats it
	if c.Frozen {
		return nil
	}
	p := piece.Of(c.Species, c.Form, c.FishKg)
	bare, _ := freezing.GetWrapping("bare")
	forecast, err := freezing.Predict(freezing.Batch{Food: heat.Of(c.Species), Piece: p, StartC: 2,
		Medium: []heat.At{{Celsius: c.Freezer.AirC}}, H: c.Freezer.Method.In(c.Freezer.SpeedMS).H(p, bare, c.Freezer.AirC), Kg: c.Kg, PowerW: c.Freezer.PowerW})
	if err != nil {
		return fmt.Errorf("forecasting how it freezes: %w", err)
	}
	c.Freezing = &forecast
	if forecast.MostKg != nil {
		c.Deal.AtOnceKg = *forecast.MostKg
	}
	return nil
}

// room is what a freezer still holds, kg; +Inf where nobody said how much it does.
func room(f FreezerPlace) float64 {
	if kg := f.RoomKg(); kg != nil {
		return *kg
	}
	return math.Inf(1)
}
