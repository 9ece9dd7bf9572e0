package demo

import (
	"context"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/probe"
	"leancatch/internal/device"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// interval is the distance between the readings of a demo probe.
const interval = 5 * time.Minute

// settled is how long a simulated cabinet runs before its first reading counts.
const settled = 12 * time.Hour

// measuredPlace is a place with a probe.
type measuredPlace struct {
	place, probe string
	cabinet      func(seed uint64) *device.Cabinet
}

var measured = []measuredPlace{
	{"Walk-in", "walk-in-air", device.WalkIn}, {"Fish drawer", "drawer-air", device.Drawer},
	{"Freezer", "freezer-air", device.Freezer}, {"Ageing cabinet", "ageing-air", device.AgeingCabinet},
	{"Thaw shelf", "thaw-shelf-air", device.Drawer}, {"Raw bar", "raw-bar-air", device.Drawer},
}

// probesOf simulates the probes of a kitchen.
func probesOf(site kitchen.Site, failures ...device.Span) []*device.Probe {
	var list []*device.Probe
	for i, m := range measured {
		c := m.cabinet(uint64(site.ID)*100 + uint64(i))
		if m.place == "Walk-in" {
			c.Failures = failures
		}
		list = append(list, &device.Probe{Name: m.probe, Cabinet: c, Interval: interval, NoiseK: 0.05,
			Resolution: 0.1, Dropped: 0.004})
	}
	return list
}

// night is when the walk-in's defrosting hung, with nobody at its door: in the last night, or in this one
// where it is still night. What lay in it was above 4 °C for over one hour and under two.
func night(now time.Time) device.Span {
	begin := now.UTC().Truncate(24 * time.Hour).Add(90 * time.Minute)
	if begin.Add(270 * time.Minute).After(now) {
		begin = now.UTC().Add(-270 * time.Minute).Truncate(interval)
	}
	return device.Span{From: begin, To: begin.Add(100 * time.Minute)}
}

// measure adds the probes of a kitchen, its thermometer and its scale, and
// fills in what the probes read in three weeks.
func (w *builder) measure(ctx context.Context) error {
	for _, m := range measured {
		if _, err := w.k.AddProbe(ctx, kitchen.NewProbe{Name: m.probe, Kind: kitchen.Fixed,
			PlaceID: w.places[m.place], Interval: interval}); err != nil {
			return err
		}
	}
	for name, kind := range map[string]string{"core-thermometer": kitchen.Thermometer, "bench-scale": kitchen.Scale} {
		if _, err := w.k.AddProbe(ctx, kitchen.NewProbe{Name: name, Kind: kind}); err != nil {
			return err
		}
	}
	var failures []device.Span
	if w.site.Name == "Harbour" {
		failures = append(failures, night(w.start))
	}
	past := *w.k
	past.Now = func() time.Time { return w.start }
	for _, p := range probesOf(w.site, failures...) {
		p.Start(w.start.Add(-History - settled))
		p.Advance(w.start.Add(-History), nil)
		var list []intake.Measurement
		for _, r := range p.Advance(w.start, nil) {
			list = append(list, intake.Measurement{Name: r.Name, Unit: "Cel", At: r.At, Value: r.Celsius})
		}
		if _, err := past.PutMeasurements(ctx, list); err != nil {
			return err
		}
	}
	if err := w.moisten(ctx); err != nil {
		return err
	}
	return w.check(ctx)
}

// check plays the checks of the probes; that of the freezer's is due again.
func (w *builder) check(ctx context.Context) error {
	rows, err := w.k.DB.Probes(ctx, w.site.ID)
	if err != nil {
		return err
	}
	past := *w.k
	for _, p := range rows {
		if p.Kind == kitchen.Scale || p.Kind == kitchen.Hygrometer {
			continue
		}
		at := w.start.AddDate(0, 0, -9)
		if p.Name == "freezer-air" {
			at = w.start.AddDate(0, 0, -int(w.site.CheckDays)).Add(3 * time.Hour)
		}
		past.Now = func() time.Time { return at }
		read := map[string]float64{"walk-in-air": 0.1, "drawer-air": -0.1, "core-thermometer": 0.2}[p.Name]
		if err := past.CheckProbe(ctx, kitchen.NewCheck{ID: kitchen.NewID(), ProbeID: p.ID, Method: probe.Ice,
			ReadC: read}); err != nil {
			return err
		}
	}
	return nil
}

// Simulate lets the probes of the demo send what they read, by the application's
// own intake at a URL: first what they missed, then a reading at each interval,
// until the context ends.
func Simulate(ctx context.Context, k *kitchen.Kitchen, url string) {
	var all []*sender
	sites, err := k.Sites(ctx)
	for _, site := range sites {
		var list []*sender
		if err == nil {
			list, err = senders(ctx, k, site, url)
		}
		all = append(all, list...)
	}
	if err != nil {
		k.Log.Error("demo devices", "error", err)
		return
	}
	tick := time.NewTicker(20 * time.Second)
	defer tick.Stop()
	for {
		for _, s := range all {
			if _, err := s.client.Send(ctx, s.read(k.Now())...); err != nil && ctx.Err() == nil {
				k.Log.Error("demo devices", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// sender is a simulated device with its token.
type sender struct {
	read   func(now time.Time) []device.Record
	client device.Client
}

// senders makes those of a kitchen: the probes, which go on after their last
// reading, the thermometer, which is in a fish of the walk-in, and the scale.
func senders(ctx context.Context, k *kitchen.Kitchen, site kitchen.Site, url string) ([]*sender, error) {
	ctx = store.WithSite(ctx, site.ID)
	people, err := k.DB.People(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	rows, err := k.DB.Probes(ctx, site.ID)
	if err != nil {
		return nil, err
	}
	ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: site, Person: kitchen.Person(people[0])})
	probes := probesOf(site)
	fish := &device.Fish{RadiusM: 0.03, H: 20, StartC: 1.2}
	probes[0].Cabinet.Fish = fish
	var list []*sender
	for _, row := range rows {
		var read func(time.Time) []device.Record
		switch i := slices.IndexFunc(probes, func(p *device.Probe) bool { return p.Name == row.Name }); {
		case i >= 0 && row.LastAt != nil:
			p := probes[i]
			p.Start(row.LastAt.Add(-settled))
			p.Advance(*row.LastAt, nil)
			read = func(now time.Time) []device.Record { return device.Of(p.Advance(now, nil)) }
		case row.Kind == kitchen.Thermometer:
			read = func(now time.Time) []device.Record {
				return []device.Record{device.Thermometer{Name: row.Name}.Read(fish.CoreC(), 20*time.Second, now)}
			}
		case row.Kind == kitchen.Hygrometer:
			read = moist(k.Now())
		case row.Kind == kitchen.Scale:
			read = func(now time.Time) []device.Record {
				return []device.Record{device.Scale{Name: row.Name, StepKg: 0.005, NoiseKg: 0.002}.Weigh(2.43, now)}
			}
		default:
			continue
		}
		token, err := k.ProbeToken(ctx, row.ID)
		if err != nil {
			return nil, fmt.Errorf("a token for %s: %w", row.Name, err)
		}
		list = append(list, &sender{read, device.Client{URL: url, Token: token}})
	}
	return list, nil
}
