package main

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"time"

	"leancatch/internal/core/planning"
	"leancatch/internal/kitchen"
	"leancatch/internal/web"
)

// A week and a half of services, each with a dish of each of so many species.
const (
	plannedServices = 10
	plannedDishes   = 8
	planTries       = 31
)

// services times the plan of services over all lots on hand, with what is reserved for them, and the page that shows it.
func (b *bench) services() error {
	var dishes []kitchen.ServiceDish
	for i, id := range []string{"cod", "haddock", "salmon", "turbot", "halibut", "sea-bream", "plaice", "hake"}[:plannedDishes] {
		d := kitchen.Dish{ID: kitchen.NewID(), PriceCents: 2000, Dish: planning.Dish{Name: "Dish of " + id, Species: []string{id},
			Part: "fillet_skin_on", Pieces: 1, PieceG: 160 + float64(i), Cut: time.Hour}}
		if err := b.k.SaveDish(b.ctx, d); err != nil {
			return err
		}
		dishes = append(dishes, kitchen.ServiceDish{Dish: d, Share: 0.12})
	}
	var one kitchen.Service
	for n := range plannedServices {
		one = kitchen.Service{ID: kitchen.NewID(), At: b.k.Now().Add(time.Duration(8+12*n) * time.Hour),
			Covers: planning.Estimate{Mean: 60, SD: 8}, Level: 0.9, Dishes: dishes}
		if err := b.k.SaveService(b.ctx, one); err != nil {
			return err
		}
	}
	for _, d := range dishes[:plannedDishes/2] {
		if _, err := b.k.Reserve(b.ctx, one.ID, d.ID); err != nil {
			return err
		}
	}
	var took []time.Duration
	for n := range planTries {
		at := time.Now().Add(time.Duration(n) * time.Minute) // a plan is kept for a minute
		b.k.Now = func() time.Time { return at }
		start := time.Now()
		if _, err := b.k.Planned(b.ctx); err != nil {
			return err
		}
		took = append(took, time.Since(start))
	}
	b.k.Now = func() time.Time { return time.Now().UTC() }
	slices.Sort(took)
	fmt.Printf("| planning %d services of %d dishes over %d lots, median (p95) | %.1f ms (%.1f ms) | ≤ 150 ms with 300 |\n", plannedServices,
		plannedDishes,
		lotsOnHand, ms(took[len(took)/2]), ms(took[len(took)*95/100]))
	server, err := web.New(b.k, b.k.Log, web.Options{SignedIn: true})
	if err != nil {
		return err
	}
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	p95, median, err := hammer(1, func() (*http.Request, error) { return http.NewRequest("GET", h.URL+"/k/bench/service", nil) })
	if err != nil {
		return err
	}
	fmt.Printf("| the page of services, clients at once: 1, p95 (median) | %.1f ms (%.1f ms) | |\n", p95, median)
	return nil
}
