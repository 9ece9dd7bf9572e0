package demo

import (
	"context"
	"fmt"
	"math"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/kitchen"
)

// menu is what the Harbour kitchen cooks.
var menu = []kitchen.Dish{
	{PriceCents: 1500, Dish: planning.Dish{Name: "Raw bream with sea herbs", Species: []string{"sea-bream", "trout"},
		Part: "fillet_skinless", Pieces: 8, PieceG: 10, Raw: true, Cut: 2 * time.Hour, PutUp: 45 * time.Minute}},
	{PriceCents: 2400, Dish: planning.Dish{Name: "Hake with crisp skin", Species: []string{"hake"}, Part: "fillet_skin_on", Pieces: 1,
		PieceG: 170, Cut: 90 * time.Minute}},
	{PriceCents: 2200, Dish: planning.Dish{Name: "Plaice on the bone", Species: []string{"plaice"}, Part: planning.WholeFish, Pieces: 1,
		PieceG: 525, FishG: species.Range{Lo: 450, Hi: 600}}},
	{PriceCents: 900, Dish: planning.Dish{Name: "Cod collars", Species: []string{"cod"}, Part: "collar", Pieces: 2, PieceG: 120,
		Cut: 2 * time.Hour}},
	{PriceCents: 2100, Dish: planning.Dish{Name: "Cod and beans", Species: []string{"cod", "coalfish"}, Part: "portion_skin_on", Pieces: 1,
		PieceG: 160, Cut: 2 * time.Hour}},
	{PriceCents: 1400, Dish: planning.Dish{Name: "Coalfish cakes", Species: []string{"coalfish"}, Part: "chopped", Pieces: 1, PieceG: 120,
		Cut: 3 * time.Hour}},
	{PriceCents: 1300, Dish: planning.Dish{Name: "Cured salmon", Species: []string{"salmon"}, Part: "fillet_skinless", Pieces: 6, PieceG: 10,
		Raw: true, Cut: 3 * time.Hour, PutUp: 45 * time.Minute}},
}

// booked is a dish of a service by its place on the menu: plates, or a share of the guests.
type booked struct {
	dish   int
	plates int
	share  float64
}

// The two services to come, and what is on each.
var (
	firstDishes  = []booked{{dish: 0, share: 0.3}, {dish: 1, plates: 24}, {dish: 2, share: 0.18}, {dish: 3, plates: 6}}
	secondDishes = []booked{{dish: 4, share: 0.35}, {dish: 5, share: 0.25}, {dish: 6, share: 0.2}}
)

// delivers says when Dunlin delivers: once more today, if it is ordered in the next ninety minutes.
func (w *builder) delivers(ctx context.Context) error {
	local := w.start.In(w.first.Location())
	by, comes := local.Add(90*time.Minute), local.Add(4*time.Hour).Truncate(30*time.Minute)
	d := planning.Deliveries{Arrives: comes.Format("15:04"), OrderBy: by.Format("15:04")}
	if comes.Day() != by.Day() {
		d.OrderDays = 1
	}
	suppliers, err := w.k.SupplierNames(ctx)
	if err != nil {
		return err
	}
	for _, s := range suppliers {
		if s.Name == dunlin {
			return w.k.SetDeliveries(ctx, s.ID, d)
		}
	}
	return nil
}

// weeks is how many services like each of the two there were before.
const weeks = 3

// services plays the services of the weeks before, and plans the next two: 14 plates of raw bream are missing for the first.
func (w *builder) services(ctx context.Context) error {
	ctx = w.as(ctx, "Ansa")
	w.k.Now = func() time.Time { return w.start.Add(-History + time.Hour) }
	for i := range menu {
		d := menu[i]
		d.ID = kitchen.NewID()
		if d.Raw {
			d.StationID = w.places["Raw bar"]
		}
		if err := w.k.SaveDish(ctx, d); err != nil {
			return fmt.Errorf("%s: %w", d.Name, err)
		}
		w.dishes = append(w.dishes, d)
	}
	for _, s := range []struct {
		at     time.Time
		covers planning.Estimate
		dishes []booked
	}{{w.first, planning.Estimate{Mean: 62, SD: 9}, firstDishes}, {w.first.Add(afterFirst), planning.Estimate{Mean: 44, SD: 8},
		secondDishes}} {
		for week := weeks; week > 0; week-- {
			if err := w.served(ctx, s.at.AddDate(0, 0, -7*week), s.covers, s.dishes, week); err != nil {
				return fmt.Errorf("%d weeks ago: %w", week, err)
			}
		}
		w.k.Now = func() time.Time { return w.start }
		if _, err := w.plan(ctx, s.at, s.covers, s.dishes); err != nil {
			return err
		}
	}
	if err := w.delivers(ctx); err != nil {
		return err
	}
	_, err := w.order(w.as(ctx, "Bertil"), skua, w.start.Add(-time.Hour), w.midnight.AddDate(0, 0, 1).Add(6*time.Hour+30*time.Minute),
		[]kitchen.OrderLine{{SpeciesID: "mackerel", Form: "whole", WeightKg: 8, Price: 520}, {SpeciesID: "plaice", Form: "whole", Count: 12, Price: 640}})
	if err != nil {
		return fmt.Errorf("the order of tomorrow: %w", err)
	}
	w.k.Now = func() time.Time { return w.start }
	return w.reserve(ctx)
}

func (w *builder) plan(ctx context.Context, at time.Time, covers planning.Estimate, dishes []booked) (uuid.UUID, error) {
	s := kitchen.Service{ID: kitchen.NewID(), At: at, Covers: covers, Level: planning.LevelUsual}
	for _, b := range dishes {
		d := kitchen.ServiceDish{Dish: w.dishes[b.dish], Share: b.share}
		if b.plates > 0 {
			d.Plates = &b.plates
		}
		s.Dishes = append(s.Dishes, d)
	}
	return s.ID, w.k.SaveService(ctx, s)
}

// served plays a service of before, of which nobody reserved anything.
func (w *builder) served(ctx context.Context, at time.Time, covers planning.Estimate, dishes []booked, week int) error {
	if !at.After(w.start.Add(-History + 2*time.Hour)) {
		return nil
	}
	w.k.Now = func() time.Time { return at.Add(-6 * time.Hour) }
	id, err := w.plan(ctx, at, covers, dishes)
	if err != nil {
		return err
	}
	swing := math.Sin(1.9 * float64(week)) // no two evenings are alike
	came := int(math.Round(covers.Mean + covers.SD*swing))
	result := kitchen.ServiceResult{ID: kitchen.NewID(), Came: came, Dishes: map[uuid.UUID]kitchen.DishResult{}}
	for _, b := range dishes {
		sold := b.plates
		if b.share > 0 {
			sold = int(math.Round(float64(came) * b.share * (1 + 0.1*swing)))
		}
		result.Dishes[w.dishes[b.dish].ID] = kitchen.DishResult{Served: sold}
	}
	w.k.Now = func() time.Time { return at.Add(5 * time.Hour) }
	return w.k.CloseService(ctx, id, result)
}

// reserve reserves what is there for both.
func (w *builder) reserve(ctx context.Context) error {
	planned, err := w.k.Planned(ctx)
	if err != nil {
		return err
	}
	for _, s := range planned {
		for _, d := range s.Dishes {
			if _, err := w.k.Reserve(ctx, s.ID, d.ID); err != nil {
				return fmt.Errorf("reserving for %s: %w", d.Name, err)
			}
		}
	}
	return nil
}
