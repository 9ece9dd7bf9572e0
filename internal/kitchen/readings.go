package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/store"
)

// Usual intervals assumed where a probe does not show its own (house).
const (
	handInterval  = 6 * time.Hour // a clipboard: readings up to twelve hours apart make a line
	probeInterval = 5 * time.Minute
)

// LogPlaceTemperature notes a temperature of a place, taken by hand.
func (k *Kitchen) LogPlaceTemperature(ctx context.Context, placeID int64, celsius float64, at time.Time) error {
	a := ActorFrom(ctx)
	if a.Person.ID == 0 {
		return ErrNoActor
	}
	var bad invalid.Errors
	if unit.CheckCelsius(celsius) != nil {
		bad.Add("celsius", "%v", unit.ErrTempRange)
	}
	if at.After(k.Now().Add(time.Minute)) {
		bad.Add("at", "lies in the future")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return err
	}
	place, ok := l.places[placeID]
	if !ok {
		return ErrNotFound
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		probe, err := k.ensureProbe(ctx, tx, a.Site.ID, place.Name+", by hand", &placeID, true, handInterval)
		if err != nil {
			return err
		}
		_, err = k.put(ctx, tx, probe, store.BatchOf([]coldchain.Reading{{At: at, Celsius: celsius}}))
		return err
	})
}

// put stores readings and tells the other processes.
func (k *Kitchen) put(ctx context.Context, tx *store.Tx, probe store.Probe, b store.Batch) (int64, error) {
	stored, err := tx.PutReadings(ctx, probe, b)
	if err != nil || stored == 0 {
		return stored, err
	}
	return stored, tx.NewReadings(ctx, probe.SiteID)
}

// ensureProbe returns the probe of the name, made where there is none.
func (k *Kitchen) ensureProbe(ctx context.Context, tx *store.Tx, site int64, name string, place *int64, byHand bool, interval time.Duration) (store.Probe, error) {
	probe, err := tx.ProbeByName(ctx, store.ProbeByNameParams{SiteID: site, Name: name})
	if !errors.Is(err, ErrNotFound) {
		return probe, err
	}
	probe, err = tx.AddProbe(ctx, store.AddProbeParams{SiteID: site, Name: name, PlaceID: place, ByHand: byHand, IntervalS: int64(interval.Seconds())})
	if err != nil {
		return probe, fmt.Errorf("adding the probe %s: %w", name, err)
	}
	if place == nil {
		return probe, nil
	}
	// The clocks of the lots in the place draw on the new probe from now on.
	return probe, k.refreshPlace(ctx, tx, site, *place)
}

// refreshPlace projects the lots in a place, so that they note a new probe.
func (k *Kitchen) refreshPlace(ctx context.Context, tx *store.Tx, siteID, placeID int64) error {
	site, err := tx.SiteByID(ctx, siteID)
	if err != nil {
		return err
	}
	return k.refreshOnHand(ctx, tx, site, func(b store.LotBoard) bool { return b.PlaceID == placeID })
}

// Intake is what became of readings that a device sent.
type Intake struct {
	Stored    int64           `json:"stored"`
	Duplicate int64           `json:"duplicate"`
	Refused   []RefusedRecord `json:"refused"`
}

// RefusedRecord is a reading that was not stored.
type RefusedRecord struct {
	Name   string `json:"name"`
	At     string `json:"at"`
	Reason string `json:"reason"`
}

// PutMeasurements stores what probes sent, by the probes' names, all that is
// good in one transaction.
func (k *Kitchen) PutMeasurements(ctx context.Context, list []intake.Measurement) (Intake, error) {
	a := ActorFrom(ctx)
	out := Intake{Refused: []RefusedRecord{}}
	probes, err := k.DB.Probes(ctx, a.Site.ID)
	if err != nil {
		return out, err
	}
	byName := map[string]store.Probe{}
	for _, p := range probes {
		byName[p.Name] = p
	}
	good := map[int64][]coldchain.Reading{}
	latest := k.Now().Add(time.Minute)
	for _, m := range list {
		celsius, err := m.Celsius()
		probe, known := byName[m.Name]
		switch {
		case !known:
			err = errors.New("no probe of this name")
		case err == nil && m.At.After(latest):
			err = errors.New("time lies in the future")
		case err == nil:
			err = unit.CheckCelsius(celsius)
		}
		if err != nil {
			out.Refused = append(out.Refused, RefusedRecord{m.Name, m.At.Format(time.RFC3339), err.Error()})
			continue
		}
		good[probe.ID] = append(good[probe.ID], coldchain.Reading{At: m.At.Truncate(time.Microsecond), Celsius: celsius})
	}
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		out.Stored, out.Duplicate = 0, 0
		for _, probe := range probes { // in one order, so that two packs never wait for each other
			readings := good[probe.ID]
			if len(readings) == 0 {
				continue
			}
			slices.SortStableFunc(readings, func(a, b coldchain.Reading) int { return a.At.Compare(b.At) })
			stored, err := k.put(ctx, tx, probe, store.BatchOf(readings))
			if err != nil {
				return err
			}
			out.Stored += stored
			out.Duplicate += int64(len(readings)) - stored
		}
		return nil
	})
	return out, err
}

// AddProbe adds a probe that measures a place.
func (k *Kitchen) AddProbe(ctx context.Context, name string, placeID int64) error {
	a := ActorFrom(ctx)
	if a.Person.ID == 0 {
		return ErrNoActor
	}
	if name = strings.TrimSpace(name); name == "" || len(name) > 80 {
		return invalid.Errors{{Field: "name", Message: "give the probe a name of at most 80 characters"}}
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := k.ensureProbe(ctx, tx, a.Site.ID, name, &placeID, false, probeInterval)
		return err
	})
}
