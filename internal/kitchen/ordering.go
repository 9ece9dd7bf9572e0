package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// UsualPrice is what fish of a supplier usually is: medians of the last months.
type UsualPrice struct {
	SupplierID int64
	Supplier   string
	Species    species.Species
	Form       string
	Frozen     bool
	CentsPerKg float64 // as it came; 0 where no price is known
	FishKg     float64 // of a fish, or a piece
	Lots       int
	Refused    int
	LastAt     time.Time
	BoxKg      float64 // what a box of it holds; 0 where it does not come in boxes
}

// Accepted is the share of its lots that was not sent back, drawn to nine in ten while there are few (house).
func (u UsualPrice) Accepted() float64 {
	return (float64(u.Lots-u.Refused) + 9) / (float64(u.Lots) + 10)
}

// pricesBack is how far back prices tell.
const pricesBack = 120 * 24 * time.Hour

// UsualPrices are what the suppliers usually take, by supplier, species and form.
func (k *Kitchen) UsualPrices(ctx context.Context) ([]UsualPrice, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.SupplierPrices(ctx, store.SupplierPricesParams{SiteID: site.ID, Since: k.Now().Add(-pricesBack)})
	if err != nil {
		return nil, fmt.Errorf("loading what suppliers take: %w", err)
	}
	list := make([]UsualPrice, len(rows))
	for i, r := range rows {
		sp, _ := site.Catalogue().Get(r.Species)
		list[i] = UsualPrice{r.SupplierID, r.Supplier, sp, r.Form, r.Frozen, r.CentsPerKg, r.FishKg, int(r.Lots), int(r.Refused), r.LastAt, r.BoxKg}
	}
	return list, nil
}

// Purchase is how fish for a dish could be bought.
type Purchase struct {
	UsualPrice
	planning.Bought
	Slot    planning.Slot
	InTime  bool // it arrives before it is needed, and can still be ordered
	Ready   time.Time
	PerKg   float64 // hundredths, of a usable kilogram; 0 where no price is known
	Cents   float64 // of all of it
	Plates  float64 // that it is enough for, on average
	Seasons string  // what its season says of it; "" for nothing
}

// ID names the purchase among those for a dish.
func (p Purchase) ID() string {
	return fmt.Sprintf("%d/%s/%s/%t", p.SupplierID, p.Species.ID, p.Form, p.Frozen)
}

// platesOf is how many plates an amount is enough for that is ordered.
func (p Purchase) platesOf(o Ordered) int {
	if p.WholeKg == 0 {
		return 0
	}
	kg := cmp.Or(o.Kg, float64(o.Fish)*p.FishKg)
	return int(p.Plates*kg/p.WholeKg + 1e-6)
}

// Lacking is a dish of a service that lacks fish, with how it could be bought, the best first.
type Lacking struct {
	Service   Service
	Dish      PlannedDish
	UsableKg  float64 // that is missing, on average
	Purchases []Purchase
}

// What is needed after fish has arrived, besides what its dish says (house): to be received and inspected; and for aged dishes to hang.
const (
	inspectAhead = time.Hour
	ageAhead     = 4 * 24 * time.Hour
	ageingLoss   = 0.06
)

// Lacking lists the dishes of services to come for which fish is missing, and for each how it could be bought so that there is enough
// with a chance; 0 for the chance that its service is planned with.
func (k *Kitchen) Lacking(ctx context.Context, level float64) ([]Lacking, error) {
	planned, err := k.Planned(ctx)
	if err != nil {
		return nil, err
	}
	b, err := k.newBuyer(ctx)
	if err != nil {
		return nil, err
	}
	var list []Lacking
	for _, s := range planned {
		for _, d := range s.Dishes {
			if s.At.After(b.now) && d.Missing() > 0 {
				list = append(list, b.lacking(s.Service, d, level))
			}
		}
	}
	return list, nil
}

// buyer knows what suppliers sell, and when they deliver.
type buyer struct {
	now       time.Time
	zone      *time.Location
	prices    []UsualPrice
	suppliers map[int64]Supplier
	yields    func(sp species.Species, form, part string) planning.Estimate
}

func (k *Kitchen) newBuyer(ctx context.Context) (*buyer, error) {
	a := ActorFrom(ctx)
	b := &buyer{now: k.Now(), zone: a.Zone(), suppliers: map[int64]Supplier{}}
	var err error
	if b.prices, err = k.UsualPrices(ctx); err != nil {
		return nil, err
	}
	suppliers, err := k.SupplierNames(ctx)
	if err != nil {
		return nil, err
	}
	for _, s := range suppliers {
		b.suppliers[s.ID] = s
	}
	yields, err := k.yields(ctx)
	b.yields = func(sp species.Species, form, part string) planning.Estimate {
		y := yields(sp, form, part)
		return planning.Estimate{Mean: y.Mid, SD: (y.Hi - y.Lo) / 2 / z90}
	}
	return b, err
}

// z90 is how many standard deviations a band of nine in ten reaches to either side.
const z90 = 1.645

func (b *buyer) lacking(s Service, d PlannedDish, level float64) Lacking {
	there := d.There() + d.FreePlates()
	l := Lacking{Service: s, Dish: d, UsableKg: math.Max(0, d.Asked.Mean-float64(there)) * d.PlateKg()}
	for _, p := range b.prices {
		if x, ok := b.purchase(s, d, p, level, there); ok {
			l.Purchases = append(l.Purchases, x)
		}
	}
	slices.SortStableFunc(l.Purchases, func(x, y Purchase) int {
		rank := func(p Purchase) int { return slices.Index(d.Dish.Dish.Species, p.Species.ID) }
		unknown := func(p Purchase) bool { return p.PerKg == 0 }
		return cmp.Or(compareBool(!x.InTime, !y.InTime), compareBool(unknown(x), unknown(y)), cmp.Compare(x.PerKg, y.PerKg),
			cmp.Compare(rank(x), rank(y)))
	})
	return l
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

// purchase is how what a dish lacks could be bought as a supplier usually sells it; false where the dish is not of that.
func (b *buyer) purchase(s Service, d PlannedDish, u UsualPrice, level float64, there int) (Purchase, bool) {
	f := planning.Fish{Species: u.Species, Form: u.Form, Count: 1, Kg: u.FishKg, Frozen: u.Frozen,
		Yield: func(form, part string) float64 { return b.yields(u.Species, form, part).Mean }}
	if !d.Takes(u.Species.ID) || u.Frozen && d.Aged {
		return Purchase{}, false
	}
	chain, ok := d.Chain(f, ageingLoss)
	if !ok {
		return Purchase{}, false
	}
	_, whole := species.BasisOf(u.Form)
	if d.Part == planning.WholeFish && (!whole || 1000*u.FishKg < d.FishG.Lo || 1000*u.FishKg > d.FishG.Hi) {
		return Purchase{}, false
	}
	if whole && d.Part != planning.WholeFish {
		chain.Yield.SD = b.yields(u.Species, u.Form, d.Part).SD
	}
	p := Purchase{UsualPrice: u}
	plate := d.PlateKg()
	if d.Part == planning.WholeFish {
		plate = u.FishKg
	}
	w := planning.Wanted{UsableKg: d.Asked.Times(plate), OnHandKg: float64(there) * plate, Chain: chain, Level: cmp.Or(level, d.Level),
		BoxKg: p.BoxKg}
	if whole {
		w.FishKg = u.FishKg
	}
	var err error
	if p.Bought, err = w.Buy(); err != nil {
		return p, false
	}
	usable := p.WholeKg * chain.Usable().Mean
	p.Plates, p.Cents = usable/plate, p.WholeKg*u.CentsPerKg
	if u.CentsPerKg > 0 && usable > 0 {
		p.PerKg = p.Cents / usable
	}
	p.Ready = s.At.Add(-inspectAhead - max(d.Cut, d.PutUp) - d.Salt)
	if d.Aged {
		p.Ready = p.Ready.Add(-ageAhead)
	}
	if u.Frozen {
		p.Ready = p.Ready.Add(-thawAhead)
	}
	p.Slot, p.InTime = b.suppliers[u.SupplierID].Last(b.now, p.Ready, b.zone)
	if !p.InTime {
		p.Slot, _ = b.suppliers[u.SupplierID].Next(b.now, b.zone)
	}
	p.Seasons = SeasonHint(u.Species, p.Slot.At)
	return p, true
}

// thawAhead is how long frozen fish that is bought takes to thaw, over night (house).
const thawAhead = 24 * time.Hour

// SeasonHint says where a species spawns in the month of a time: its flesh is softer then, and it gives less (common practice); "" where
// it does not.
func SeasonHint(sp species.Species, at time.Time) string {
	var areas []string
	for _, x := range sp.Spawns {
		if !at.IsZero() && x.In(int(at.Month())) {
			areas = append(areas, x.Area)
		}
	}
	if len(areas) == 0 {
		return ""
	}
	return fmt.Sprintf("spawns in %s (%s): softer flesh, and less of it", at.Month(), strings.Join(areas, ", "))
}

// Ordered is what is ordered for dishes: from the form, how each is to be bought, and how much.
type Ordered struct {
	Service, Dish uuid.UUID
	Purchase      string // its ID
	Fish          int
	Kg            float64
}

// OrderFor places an order with each supplier for what dishes lack. Errors are on "lines[n].…".
func (k *Kitchen) OrderFor(ctx context.Context, level float64, list []Ordered) (ids []uuid.UUID, err error) {
	lacking, err := k.Lacking(ctx, level)
	if err != nil {
		return nil, err
	}
	var bad invalid.Errors
	var orders []Order
	for n, o := range list {
		i := slices.IndexFunc(lacking, func(l Lacking) bool { return l.Service.ID == o.Service && l.Dish.ID == o.Dish })
		if i < 0 {
			bad.Add(fmt.Sprintf("lines[%d].purchase", n), "is not missing any more: look at the plan again")
			continue
		}
		l := lacking[i]
		j := slices.IndexFunc(l.Purchases, func(p Purchase) bool { return p.ID() == o.Purchase })
		if j < 0 {
			bad.Add(fmt.Sprintf("lines[%d].purchase", n), "choose where it is bought")
			continue
		}
		p := l.Purchases[j]
		line := OrderLine{SpeciesID: p.Species.ID, Form: p.Form, Count: o.Fish, WeightKg: o.Kg, Price: int64(math.Round(p.CentsPerKg)),
			ServiceID: &o.Service, DishID: &o.Dish, Plates: p.platesOf(o),
			Note: fmt.Sprintf("for %s, %s", l.Dish.Name, l.Service.At.In(ActorFrom(ctx).Zone()).Format("Mon 2 Jan 15:04"))}
		at := slices.IndexFunc(orders, func(x Order) bool { return x.Supplier == p.Supplier && x.DeliverAt.Equal(p.Slot.At) })
		if at < 0 {
			at = len(orders)
			orders = append(orders, Order{ID: NewID(), Supplier: p.Supplier, DeliverAt: &p.Slot.At})
		}
		orders[at].Lines = append(orders[at].Lines, line)
	}
	if err := bad.Err(); err != nil {
		return nil, err
	}
	for _, o := range orders {
		ids = append(ids, o.ID)
	}
	return ids, k.PlaceOrders(ctx, orders...)
}
