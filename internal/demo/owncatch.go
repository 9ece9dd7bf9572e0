package demo

import (
	"context"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
)

func hours(h float64) time.Duration { return time.Duration(h * float64(time.Hour)) }

// ice fills the tote of the kitchen twice a day, as far back as the demo goes,
// and the box on deck this morning.
func (w *builder) ice(ctx context.Context, crew string) error {
	ctx = w.as(ctx, crew)
	put := func(place string, at time.Time, kind icing.Kind, kg float64) error {
		if at.After(w.start) {
			return nil
		}
		w.k.Now = func() time.Time { return at }
		return w.k.LogIce(ctx, kitchen.NewIce{ID: kitchen.NewID(), PlaceID: w.places[place], At: at, Kind: kind,
			Kg: kg})
	}
	for day := w.midnight.Add(-History); !day.After(w.start); day = day.AddDate(0, 0, 1) {
		for _, hour := range []float64{6, 16} {
			if err := put("Ice tote", day.Add(hours(hour)), icing.Found, 14); err != nil {
				return err
			}
		}
	}
	return put("Deck box", w.start.Add(-hours(6)), icing.Found, 2)
}

// land plays a catch of our own, which is looked at when it is on ice.
func (w *builder) land(ctx context.Context, c catch) error {
	ctx = w.as(ctx, "Cato")
	at := w.start.Add(-time.Duration(c.minutesAgo) * time.Minute)
	w.k.Now = func() time.Time { return at }
	id, err := w.k.LandCatch(ctx, kitchen.NewCatch{ID: kitchen.NewID(), SpeciesID: c.species, Count: c.count,
		WeightKg: c.kg, PlaceID: w.places["Deck"], LandedAt: at,
		Caught: lot.Caught{Area: skerries, FAO: 27, Gear: "hook", Vessel: "Skiff Tern", WaterC: &c.waterC,
			AirC: &c.airC}})
	if err != nil {
		return err
	}
	w.k.Now = func() time.Time { return w.start }
	if err := w.harvest(ctx, id, at.Add(2*time.Minute), c.harvest, w.places["Deck box"], &c.iceKg); err != nil {
		return err
	}
	cold := at.Add(95 * time.Minute)
	w.k.Now = func() time.Time { return cold }
	if err := w.k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: cold,
		Payload: lot.Temperature{Celsius: 0.9}}); err != nil {
		return err
	}
	return w.inspect(ctx, id, fish{readDays: 0.2, sampled: 3}, cold.Add(5*time.Minute))
}

// harvest writes the steps of a record from the death on.
func (w *builder) harvest(ctx context.Context, id uuid.UUID, died time.Time, h harvestRecord, box int64,
	iceKg *float64) error {
	var writes []kitchen.Write
	add := func(at time.Time, p lot.Payload) {
		writes = append(writes, kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: at, Payload: p})
	}
	if box == 0 {
		add(died, lot.Caught{Area: h.area, FAO: 27, Gear: "hook", WaterC: &h.waterC, AirC: &h.airC})
	}
	add(died, lot.Killed{Method: h.method})
	if h.bledMinutes >= 0 {
		bled := died.Add(time.Duration(h.bledMinutes * float64(time.Minute)))
		until := bled.Add(15 * time.Minute)
		add(bled, lot.Bled{How: "gills", Medium: "water", Method: "two", Until: &until})
		if h.gutted {
			add(until.Add(5*time.Minute), lot.Gutted{Gilled: true})
		}
	}
	if h.icedHours >= 0 {
		add(died.Add(hours(h.icedHours)), lot.Iced{Method: "boxed", PlaceID: box, IceKg: iceKg})
	}
	return w.k.AppendAll(ctx, writes...)
}
