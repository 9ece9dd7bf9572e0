package demo

import (
	"context"
	"fmt"
	"math"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/lot"
	"leancatch/internal/device"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
)

// ageingHumidity is the hygrometer of the ageing cabinet, and the spell in which its
// humidifier ran empty, in hours before now.
const (
	ageingHumidity = "ageing-humidity"
	agerRH         = 0.80
	dryFrom, dryTo = 92.0, 10.0
)

// hygrometer simulates the humidity of the ageing cabinet; what it does is reported from the
// start of the demo.
func hygrometer(start time.Time) *device.Hygrometer {
	return &device.Hygrometer{Name: ageingHumidity, RH: agerRH, Interval: 15 * time.Minute, DryBy: 0.11,
		Dry: []device.Span{{From: start.Add(-hours(dryFrom)), To: start.Add(-hours(dryTo))}}}
}

// moisten adds the hygrometer of a kitchen and fills in what it read.
func (w *builder) moisten(ctx context.Context) error {
	if _, err := w.k.AddProbe(ctx, kitchen.NewProbe{Name: ageingHumidity, Kind: kitchen.Hygrometer,
		PlaceID: w.places["Ageing cabinet"], Interval: 15 * time.Minute}); err != nil {
		return err
	}
	past := *w.k
	past.Now = func() time.Time { return w.start }
	h := hygrometer(w.start)
	h.Start(w.start.Add(-History))
	var list []intake.Measurement
	for _, r := range h.Advance(w.start) {
		list = append(list, intake.Measurement{Name: r.Name, Unit: r.Unit, At: time.Unix(int64(r.Time), 0),
			Value: r.Value})
	}
	_, err := past.PutMeasurements(ctx, list)
	return err
}

// ageingFish is a fish of the ageing cabinet, by its supplier's number.
type ageingFish struct {
	theirs   string
	hoursAgo float64
	hook     int
	kg       float64
	cents    int64
	school   string
	target   float64
	hanging  string
	raw      bool
	pace     float64 // of its truth against the reference
	opened   string
	days     float64 // after which it was taken down; 0 while it hangs
}

var ageingFishes = []ageingFish{
	{theirs: "4438/2", hoursAgo: 17*24 + 16, hook: 2, kg: 4.62, cents: 1790, school: ageing.LongAge, target: 0.07,
		hanging: "head_down", pace: 1.08, days: 8,
		opened: "slaughter day on the box, one of forty of the same harvest"},
	{theirs: "114-s", hoursAgo: 8*24 + 20, hook: 2, kg: 1.84, cents: 1450, school: ageing.LongAge, target: 0.14,
		hanging: "head_down", pace: 1.15, opened: "six looked at on the boat, all in rigor: Skua's own sheet"},
	{theirs: "4496/s", hoursAgo: 3*24 + 20, hook: 4, kg: 4.4, cents: 1820, school: ageing.LongAge, target: 0.07,
		hanging: "head_up", pace: 1.02, opened: "slaughter day on the box, stiff when it came"},
}

// ageing plays the ageing cabinet: one fish that was taken out, one ahead of its curve because
// the air was dry, one that began with the dry spell.
func (w *builder) ageing(ctx context.Context) error {
	air := hygrometer(w.start)
	climate := ageing.Climate{Set: ageing.Air{Celsius: 1.5, RH: agerRH}}
	for at := w.start.Add(-History).Truncate(time.Hour); at.Before(w.start); at = at.Add(time.Hour) {
		climate.Air = append(climate.Air, ageing.Air{At: at, Celsius: 1.5, RH: air.True(at)})
	}
	for _, f := range ageingFishes {
		if err := w.hang(ctx, f, climate); err != nil {
			return fmt.Errorf("%s: %w", f.theirs, err)
		}
	}
	return nil
}

func (w *builder) hang(ctx context.Context, f ageingFish, climate ageing.Climate) error {
	ctx = w.as(ctx, "Ansa")
	at := w.start.Add(-hours(f.hoursAgo)).Truncate(time.Minute)
	w.k.Now = func() time.Time { return at }
	hung := lot.Hung{PlaceID: w.places["Ageing cabinet"], Hook: f.hook, Kg: f.kg, Policy: f.school, Target: f.target,
		Hanging: f.hanging, Raw: f.raw, CentsPerKg: f.cents, Opened: f.opened}
	for _, p := range ageing.Preps() {
		hung.Preps = append(hung.Preps, p.ID)
	}
	id, err := w.k.StartAgeing(ctx, kitchen.NewHanging{EventID: kitchen.NewID(), LotID: w.lots[f.theirs], At: at,
		Hung: hung})
	if err != nil {
		return err
	}
	truth := ageing.StartCurve(f.kg)
	truth.K *= f.pace
	ctx = w.as(ctx, "Cato")
	write := func(t time.Time, p lot.Payload) error {
		w.k.Now = func() time.Time { return t }
		return w.k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: t, Payload: p})
	}
	for day := 1.0; ; day++ {
		t := at.Add(hours(24 * day))
		if t.After(w.start) || f.days > 0 && day > f.days {
			break
		}
		wet := 0.0008 * f.kg * math.Sin(7*day)
		if err := write(t, lot.Weighed{Kg: math.Round(
			(f.kg*(1-truth.Loss(climate.Dried(at, t)))+wet)*200) / 200}); err != nil {
			return err
		}
		if err := write(t.Add(2*time.Minute), lot.DailyCheck{}); err != nil {
			return err
		}
		if day == f.days {
			left := f.kg * (1 - truth.Loss(climate.Dried(at, t)))
			down := lot.TakenDown{Kg: math.Round(left*200) / 200, CrustKg: math.Round(0.048*left*200) / 200,
				UsableKg: math.Round(0.56*left*200) / 200, PlaceID: w.places["Fish drawer"], Why: "its target"}
			if err := write(t.Add(time.Hour), down); err != nil {
				return err
			}
			return write(t.Add(30*time.Hour), lot.Left{EndUse: lot.UsedCooked, Note: "served"})
		}
	}
	return nil
}

// moist is the hygrometer of a running demo; the dry spell is over.
func moist(now time.Time) func(time.Time) []device.Record {
	h := hygrometer(now.Add(-History))
	h.Start(now)
	return func(to time.Time) []device.Record { return h.Advance(to) }
}
