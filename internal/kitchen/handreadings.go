package kitchen

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"leancatch/internal/core/access"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// HandReading is what a person reads off the thermometer of a place, °C.
type HandReading struct {
	Celsius  *float64
	MaximumC *float64 // the highest that it shows since it was last read
	At       time.Time
}

// check appends what is wrong with the reading.
func (r HandReading) check(now time.Time) (bad invalid.Errors) {
	for _, x := range []struct {
		field   string
		celsius *float64
	}{{"celsius", r.Celsius}, {"maximum", r.MaximumC}} {
		if x.celsius != nil && unit.CheckCelsius(*x.celsius) != nil {
			bad.Add(x.field, "%v", unit.ErrTempRange)
		}
	}
	switch {
	case r.Celsius == nil && r.MaximumC == nil:
		bad.Add("celsius", "is missing")
	case r.Celsius != nil && r.MaximumC != nil && *r.MaximumC < *r.Celsius:
		bad.Add("maximum", "is colder than it is now")
	}
	switch {
	case r.At.After(now.Add(time.Minute)):
		bad.Add("at", "lies in the future")
	case r.At.Before(now.Add(-probe.Oldest)):
		bad.Add("at", "lies more than ten years back")
	}
	return bad
}

// LogPlaceTemperature notes what a person read off the thermometer of a place.
func (k *Kitchen) LogPlaceTemperature(ctx context.Context, placeID int64, r HandReading) error {
	return k.changePlace(ctx, access.Write, placeID, r.check(k.Now()), func(tx *store.Tx, a Actor, place store.Place) error {
		return k.putHandReading(ctx, tx, a, place, r)
	})
}

// putHandReading stores what a person read off the thermometer of a place.
func (k *Kitchen) putHandReading(ctx context.Context, tx *store.Tx, a Actor, place store.Place, r HandReading) error {
	for _, x := range []struct {
		celsius    *float64
		name, kind string
	}{{r.Celsius, ", by hand", ByHand}, {r.MaximumC, ", highest seen", MaximumSeen}} {
		if x.celsius == nil {
			continue
		}
		p, err := k.ensureProbe(ctx, tx, a.Site, NewProbe{Name: place.Name + x.name, Kind: x.kind, PlaceID: place.ID, Interval: handInterval})
		if err != nil {
			return err
		}
		if _, err = k.put(ctx, tx, p, store.BatchOf([]coldchain.Reading{{At: r.At, Celsius: *x.celsius}})); err != nil {
			return err
		}
	}
	return nil
}

// HandEntry is a reading by hand as it stands, with what it said before.
type HandEntry struct {
	ProbeID int64
	At      time.Time
	Highest bool     // the highest seen since the thermometer was read before
	Celsius *float64 // nil: it was not read after all
	Was     []store.ReadingCorrectionsRow
}

// shownByHand is how many readings by hand a page lists.
const shownByHand = 60

// HandEntries lists what was read off the thermometer of a place in a span, the newest
// first, with what was corrected or taken back.
func (k *Kitchen) HandEntries(ctx context.Context, placeID int64, span coldchain.Span) ([]HandEntry, error) {
	site := ActorFrom(ctx).Site.ID
	was, err := k.DB.ReadingCorrections(ctx, store.ReadingCorrectionsParams{SiteID: site, PlaceID: placeID, FromAt: span.From, ToAt: span.To})
	if err != nil {
		return nil, err
	}
	rows, err := k.DB.HandReadings(ctx, store.HandReadingsParams{SiteID: site, PlaceID: placeID, FromAt: span.From, ToAt: span.To,
		Limit: shownByHand})
	if err != nil {
		return nil, err
	}
	var list []HandEntry
	find := func(probeID int64, at time.Time) *HandEntry {
		for i := range list {
			if list[i].ProbeID == probeID && list[i].At.Equal(at) {
				return &list[i]
			}
		}
		return nil
	}
	for _, r := range rows {
		list = append(list, HandEntry{ProbeID: r.ProbeID, At: r.At, Highest: r.Kind == MaximumSeen, Celsius: &r.Celsius})
	}
	for _, c := range was {
		e := find(c.ProbeID, c.At)
		if e == nil { // taken back
			list = append(list, HandEntry{ProbeID: c.ProbeID, At: c.At, Highest: c.Kind == MaximumSeen})
			e = &list[len(list)-1]
		}
		e.Was = append(e.Was, c)
	}
	slices.SortStableFunc(list, func(a, b HandEntry) int { return b.At.Compare(a.At) })
	return list, nil
}

// ReadingCorrection says what a reading by hand really was.
type ReadingCorrection struct {
	ID      uuid.UUID // from the client: sent twice, it is one
	PlaceID int64
	ProbeID int64
	At      time.Time
	Celsius *float64 // nil: it was not read at all
	Reason  string
}

// CorrectReading puts a reading by hand right, or takes it back. What it said stays on
// record with the reason. Its errors are on the fields celsius, reason and at.
func (k *Kitchen) CorrectReading(ctx context.Context, r ReadingCorrection) error {
	var bad invalid.Errors
	if r.Celsius != nil && unit.CheckCelsius(*r.Celsius) != nil {
		bad.Add("celsius", "%v", unit.ErrTempRange)
	}
	if r.Reason = strings.TrimSpace(r.Reason); r.Reason == "" {
		bad.Add("reason", "is missing")
	}
	return k.changePlace(ctx, access.Write, r.PlaceID, bad, func(tx *store.Tx, a Actor, _ store.Place) error {
		p, err := tx.Probe(ctx, store.ProbeParams{SiteID: a.Site.ID, ID: r.ProbeID})
		if err != nil || p.Kind != ByHand && p.Kind != MaximumSeen {
			return errors.Join(ErrNotFound, err)
		}
		lock, err := tx.LockProbe(ctx, store.LockProbeParams{SiteID: a.Site.ID, ID: p.ID})
		if err != nil {
			return err
		}
		if r.At.Before(lock.KeptFrom) {
			return invalid.Errors{{Field: "at", Message: "is older than the readings that are kept"}}
		}
		was, err := tx.ReadingAt(ctx, store.ReadingAtParams{SiteID: a.Site.ID, ProbeID: p.ID, At: r.At})
		if errors.Is(err, pgx.ErrNoRows) {
			return invalid.Errors{{Field: "at", Message: "somebody else took this reading back"}}
		} else if err != nil {
			return err
		}
		var now *float32
		if r.Celsius != nil {
			is := float32(*r.Celsius) // as readings are kept
			now = &is
			if is == float32(was) {
				return invalid.Errors{{Field: "celsius", Message: "is what it says already"}}
			}
		}
		n, err := tx.AddReadingCorrection(ctx, store.AddReadingCorrectionParams{SiteID: a.Site.ID, ID: r.ID, PlaceID: r.PlaceID,
			ProbeID: p.ID, At: r.At, WasC: was, Celsius: now, Reason: r.Reason, PersonID: a.Person.ID, CorrectedAt: k.Now()})
		if err != nil || n == 0 {
			return err
		}
		if r.Celsius == nil {
			err = tx.DropReading(ctx, store.DropReadingParams{SiteID: a.Site.ID, ProbeID: p.ID, At: r.At})
		} else {
			err = tx.SetReading(ctx, store.SetReadingParams{SiteID: a.Site.ID, ProbeID: p.ID, At: r.At, Celsius: *r.Celsius})
		}
		if err != nil {
			return err
		}
		if err := tx.Touched(ctx, p, r.At, r.At); err != nil {
			return err
		}
		return tx.Announce(ctx, a.Site.ID, store.Touch{ProbeID: p.ID, First: r.At, Last: r.At})
	})
}
