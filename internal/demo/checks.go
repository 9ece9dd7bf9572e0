package demo

import (
	"context"
	"math"
	"slices"
	"time"

	"leancatch/internal/kitchen"
)

// A check is signed a little after its hour; the last one, where its hour is near, before it.
const (
	signedLate  = 4 * time.Minute
	signedEarly = 85 * time.Minute
)

// signChecks plays the checks of the cold places since the demo begins, opening and closing: what no probe
// measures is read or looked at, and once a week a thermometer is held beside each probe.
func (w *builder) signChecks(ctx context.Context, people []kitchen.NewPerson) error {
	n := 0
	for day := w.midnight.Add(-History).AddDate(0, 0, 1); !day.After(w.start); day = day.AddDate(0, 0, 1) {
		for i, clock := range checkHours {
			hour, err := time.ParseInLocation("2006-01-02 15:04", day.Format("2006-01-02 ")+clock, day.Location())
			if err != nil {
				return err
			}
			at := hour.Add(signedLate)
			if hour.After(w.start.Add(signedEarly)) {
				continue
			} else if at.After(w.start) {
				at = w.start
			}
			check := kitchen.PlacesCheck{ID: kitchen.NewID(), At: at, Kind: kitchen.OpeningCheck}
			if i > 0 {
				check.Kind = kitchen.ClosingCheck
			}
			for _, place := range places {
				line := kitchen.PlacesCheckLine{PlaceID: w.places[place.Name], AllHere: i > 0}
				probed := slices.ContainsFunc(measured, func(m measuredPlace) bool { return m.place == place.Name })
				read := math.Round(10*(math.Min(place.SetC, 1.4)+0.4*math.Sin(float64(n)+place.SetC))) / 10
				switch {
				case place.Box != nil:
					line.Ice = true
				case probed && n%14 == 3, !probed && place.SetC < 8:
					line.Celsius = &read
				case probed && i > 0: // its fish is counted
				default:
					continue
				}
				check.Lines = append(check.Lines, line)
			}
			w.k.Now = func() time.Time { return at }
			if err := w.k.CheckPlaces(w.as(ctx, people[1+n%2].Name), check); err != nil {
				return err
			}
			n++
		}
	}
	return nil
}
