package kitchen

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/planning"
	"leancatch/internal/store"
)

// Service is guests at an hour.
type Service struct {
	ID       uuid.UUID // from the client: the same service twice is one
	At       time.Time
	Covers   planning.Estimate
	Level    float64 // chance of having enough; 0 where it follows from what shortage and waste cost
	Came     *int    // guests; nil while it is not over
	ClosedAt *time.Time
	Dishes   []ServiceDish
}

// ServiceDish is a dish at a service: how many plates, or which share of the guests orders it.
type ServiceDish struct {
	Dish
	Plates *int
	Share  float64
	// what came of it; nil while nothing is known
	PutUpPlates, Sold, Left, Wasted *int
	UsedKg                          *float64 // weighed
	CookedC                         *float64 // core of the thickest piece, °C
	CookedAt                        *time.Time
}

// Asked are the plates that the guests will ask for.
func (d ServiceDish) Asked(covers planning.Estimate) planning.Estimate {
	if d.Plates != nil {
		return planning.Estimate{Mean: float64(*d.Plates)}
	}
	return covers.Plates(d.Share)
}

func serviceOf(r store.Service) Service {
	s := Service{ID: r.ID, At: r.At, Covers: planning.Estimate{Mean: r.Covers, SD: r.CoversSd}, Level: r.Level, ClosedAt: r.ClosedAt}
	s.Came = optionalInt(r.Came)
	return s
}

func optionalInt(n *int64) *int {
	if n == nil {
		return nil
	}
	i := int(*n)
	return &i
}

func optionalInt64(n *int) *int64 {
	if n == nil {
		return nil
	}
	i := int64(*n)
	return &i
}

// withDishes gives services their dishes.
func (k *Kitchen) withDishes(ctx context.Context, q *store.Queries, list []Service) error {
	at := map[uuid.UUID]int{}
	ids := make([]uuid.UUID, len(list))
	for i, s := range list {
		ids[i], at[s.ID] = s.ID, i
	}
	rows, err := q.ServiceDishes(ctx, store.ServiceDishesParams{SiteID: ActorFrom(ctx).Site.ID, Services: ids})
	if err != nil {
		return fmt.Errorf("loading the dishes of services: %w", err)
	}
	for _, r := range rows {
		d := ServiceDish{Share: r.Share, Plates: optionalInt(r.Plates), PutUpPlates: optionalInt(r.PutUp), Sold: optionalInt(r.Sold),
			Left: optionalInt(r.LeftOver), Wasted: optionalInt(r.Wasted), UsedKg: r.UsedKg, CookedC: r.CoreC, CookedAt: r.CoreAt,
			Dish: dishOf(store.Dish{ID: r.DishID, Name: r.Name, Species: r.Species, Part: r.Part, Pieces: r.Pieces, PieceG: r.PieceG,
				FishLoG: r.FishLoG, FishHiG: r.FishHiG, Raw: r.Raw, Aged: r.Aged, SaltMinutes: r.SaltMinutes, CutMinutes: r.CutMinutes,
				StationID: r.StationID, PutUpMinutes: r.PutUpMinutes, PriceCents: r.PriceCents})}
		s := &list[at[r.ServiceID]]
		s.Dishes = append(s.Dishes, d)
	}
	return nil
}

// closeWithin is for how long a service that is over waits to be closed.
const closeWithin = 36 * time.Hour

// OpenServices lists the services that are to come, and those of before that nobody closed yet, the soonest first.
func (k *Kitchen) OpenServices(ctx context.Context) ([]Service, error) {
	rows, err := k.DB.OpenServices(ctx, store.OpenServicesParams{SiteID: ActorFrom(ctx).Site.ID, Since: k.Now().Add(-closeWithin)})
	list, err := mapped(rows, err, serviceOf)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return list, k.withDishes(ctx, k.DB.Queries, list)
}

// Service returns one.
func (k *Kitchen) Service(ctx context.Context, id uuid.UUID) (Service, error) {
	row, err := k.DB.Service(ctx, store.ServiceParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return Service{}, err
	}
	list := []Service{serviceOf(row)}
	err = k.withDishes(ctx, k.DB.Queries, list)
	return list[0], err
}

// alikeServices is how many services of before tell of the next one; like are those on the same weekday at about the same hour.
const (
	alikeServices = 4
	alikeHours    = 90 * time.Minute
	alikeOver     = 120 * 24 * time.Hour
)

// pastServices are those that were closed in a time until now, the last first.
func (k *Kitchen) pastServices(ctx context.Context, over time.Duration) ([]Service, error) {
	rows, err := k.DB.PastServices(ctx, store.PastServicesParams{SiteID: ActorFrom(ctx).Site.ID, Since: k.Now().Add(-over)})
	list, err := mapped(rows, err, serviceOf)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return list, k.withDishes(ctx, k.DB.Queries, list)
}

// like are the last services like one at an hour, the last first.
func (k *Kitchen) like(ctx context.Context, at time.Time) (list []Service, err error) {
	past, err := k.pastServices(ctx, alikeOver)
	zone := ActorFrom(ctx).Zone()
	minute := func(t time.Time) time.Duration {
		t = t.In(zone)
		return time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute
	}
	for _, r := range past {
		if len(list) < alikeServices && r.At.In(zone).Weekday() == at.In(zone).Weekday() && (minute(r.At)-minute(at)).Abs() <= alikeHours {
			list = append(list, r)
		}
	}
	return list, err
}

// Suggested is a service as those before it suggest it, and how many those were: the guests of the last ones on that weekday at
// that hour, the dishes of the last with what was learned of their shares. With none there are no guests.
func (k *Kitchen) Suggested(ctx context.Context, at time.Time) (Service, int, error) {
	s := Service{ID: NewID(), At: at, Level: planning.LevelUsual}
	past, err := k.like(ctx, at)
	if err != nil || len(past) == 0 {
		return s, 0, err
	}
	var came []float64
	for _, p := range past {
		if p.Came != nil {
			came = append(came, float64(*p.Came))
		}
	}
	s.Covers, _ = planning.Covers(came)
	s.Covers = planning.Estimate{Mean: math.Round(s.Covers.Mean), SD: math.Round(s.Covers.SD)}
	for _, d := range past[0].Dishes {
		s.Dishes = append(s.Dishes, ServiceDish{Dish: d.Dish, Share: d.learned(past)})
	}
	s.Level = past[0].Level
	return s, len(past), nil
}

// RealPortion is what the fish of a plate weighed in the last services in which what was left was weighed, kg, and how many those were.
func (k *Kitchen) RealPortion(ctx context.Context, dishID uuid.UUID) (kg float64, services int, err error) {
	past, err := k.pastServices(ctx, alikeOver)
	if err != nil {
		return 0, 0, err
	}
	used, sold := 0.0, 0
	for _, s := range past {
		for _, d := range s.Dishes {
			if d.ID == dishID && d.UsedKg != nil && d.Sold != nil && *d.Sold > 0 {
				used, sold, services = used+*d.UsedKg, sold+*d.Sold, services+1
			}
		}
	}
	if sold == 0 {
		return 0, 0, nil
	}
	return used / float64(sold), services, nil
}

// CheckCooked notes the core of the thickest piece of a dish, once a service. The error is on celsius: below what cooks it nothing is
// noted.
func (k *Kitchen) CheckCooked(ctx context.Context, serviceID, dishID uuid.UUID, celsius float64) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	s, err := k.Service(ctx, serviceID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(s.Dishes, func(d ServiceDish) bool { return d.ID == dishID })
	if i < 0 || s.Dishes[i].Raw {
		return ErrNotFound
	}
	least := a.Profile().Parasite.CookC
	if slices.Contains(minced, s.Dishes[i].Part) {
		least = max(least, mincedC)
	}
	if celsius < least {
		return invalid.Errors{{Field: "celsius", Message: fmt.Sprintf("is below %.0f °C: cook it on, and measure again", least)}}
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.SetCooked(ctx, store.SetCookedParams{SiteID: a.Site.ID, ServiceID: serviceID, DishID: dishID, CoreC: &celsius,
			CoreAt: &now}); err != nil {
			return fmt.Errorf("noting the core: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// mincedC is the core at which chopped fish is cooked, °C, for 17 s [FoodCode, 3-401.11].
const mincedC = 68.0

// minced are the parts that are cooked as chopped fish is.
var minced = []string{"chopped", "dice", "strips", "trim", "scrape"}

// learned is which share of the guests orders a dish, by what was sold of it.
func (d ServiceDish) learned(past []Service) float64 {
	var plates, guests float64
	planned := d.Share
	for _, p := range past {
		i := slices.IndexFunc(p.Dishes, func(x ServiceDish) bool { return x.ID == d.ID })
		if i < 0 || p.Dishes[i].Sold == nil || p.Came == nil {
			continue
		}
		if x := p.Dishes[i]; x.Plates != nil && planned == 0 && *p.Came > 0 { // plates were typed: what sold is what was planned
			planned = float64(*x.Sold) / float64(*p.Came)
		}
		plates, guests = plates+float64(*p.Dishes[i].Sold), guests+float64(*p.Came)
	}
	return math.Round(100*planning.Share(planned, plates, guests)) / 100
}

// SaveService plans a service, or changes how it is planned. What is reserved for it stays, but for dishes that it has no more. Errors
// are on at, covers, covers_sd, level, and "dishes[n].share" and "dishes[n].plates".
func (k *Kitchen) SaveService(ctx context.Context, s Service) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	if err := s.check(k.Now()).Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.AddService(ctx, store.AddServiceParams{SiteID: a.Site.ID, ID: s.ID, At: s.At, Covers: s.Covers.Mean, CoversSd: s.Covers.SD,
			Level: s.Level, PersonID: a.Person.ID})
		if err != nil {
			return fmt.Errorf("adding the service: %w", err)
		}
		if n == 0 {
			n, err = tx.SetService(ctx, store.SetServiceParams{SiteID: a.Site.ID, ID: s.ID, At: s.At, Covers: s.Covers.Mean, CoversSd: s.Covers.SD,
				Level: s.Level})
			if store.IsDuplicate(err) || err == nil && n == 0 {
				return invalid.Errors{{Field: "at", Message: "there is a service at that hour already"}}
			} else if err != nil {
				return fmt.Errorf("changing the service: %w", err)
			}
		}
		list := []Service{{ID: s.ID}}
		if err := k.withDishes(ctx, tx.Queries, list); err != nil {
			return err
		}
		for _, old := range list[0].Dishes {
			if slices.ContainsFunc(s.Dishes, func(d ServiceDish) bool { return d.ID == old.ID }) {
				continue
			}
			if err := dropDish(ctx, tx, a.Site.ID, s.ID, old.ID); err != nil {
				return err
			}
		}
		for i, d := range s.Dishes {
			if err := tx.PutServiceDish(ctx, store.PutServiceDishParams{SiteID: a.Site.ID, ServiceID: s.ID, DishID: d.ID, N: int64(i + 1),
				Plates: optionalInt64(d.Plates), Share: d.Share}); err != nil {
				return fmt.Errorf("saving a dish of the service: %w", err)
			}
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

func (s Service) check(now time.Time) (bad invalid.Errors) {
	if !s.At.After(now) || s.At.After(now.AddDate(0, 0, 60)) {
		bad.Add("at", "must lie in the next 60 days")
	}
	if !(s.Covers.Mean >= 0 && s.Covers.Mean <= 5000) {
		bad.Add("covers", "must be between 0 and 5 000")
	}
	if !(s.Covers.SD >= 0 && s.Covers.SD <= 1000) {
		bad.Add("covers_sd", "must be between 0 and 1 000")
	}
	if s.Level != 0 && !(s.Level >= planning.LevelLeast && s.Level <= planning.LevelMost) {
		bad.Add("level", "choose how sure it is to be")
	}
	for i, d := range s.Dishes {
		field := fmt.Sprintf("dishes[%d].", i)
		if !(d.Share >= 0 && d.Share <= 1) {
			bad.Add(field+"share", "must be between 0 and 100 %%")
		}
		if d.Plates != nil && (*d.Plates < 0 || *d.Plates > 5000) {
			bad.Add(field+"plates", "must be between 0 and 5 000")
		}
		if d.Plates == nil && d.Share == 0 {
			bad.Add(field+"share", "say how many plates, or which share of the guests")
		}
		if d.Plates == nil && s.Covers.Mean == 0 && d.Share > 0 {
			bad.Add("covers", "say how many guests, or type the plates of each dish")
		}
	}
	return bad
}

// DropService takes back a service that was planned, with all that is reserved for it.
func (k *Kitchen) DropService(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		row, err := tx.LockService(ctx, store.LockServiceParams{SiteID: a.Site.ID, ID: id})
		if err != nil {
			return err
		}
		if row.ClosedAt != nil {
			return invalid.Errors{{Field: "service", Message: "is over: it stays in the record"}}
		}
		list := []Service{{ID: id}}
		if err := k.withDishes(ctx, tx.Queries, list); err != nil {
			return err
		}
		for _, d := range list[0].Dishes {
			if err := dropDish(ctx, tx, a.Site.ID, id, d.ID); err != nil {
				return err
			}
		}
		if err := tx.DropService(ctx, store.DropServiceParams{SiteID: a.Site.ID, ID: id}); err != nil {
			return fmt.Errorf("dropping the service: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// dropDish takes a dish off a service, with what is reserved for it.
func dropDish(ctx context.Context, tx *store.Tx, site int64, service, dish uuid.UUID) error {
	if err := tx.DropReservations(ctx, store.DropReservationsParams{SiteID: site, ServiceID: service, DishID: dish}); err != nil {
		return fmt.Errorf("giving up reservations: %w", err)
	}
	if err := tx.DropServiceDish(ctx, store.DropServiceDishParams{SiteID: site, ServiceID: service, DishID: dish}); err != nil {
		return fmt.Errorf("dropping a dish of the service: %w", err)
	}
	return nil
}
