package kitchen

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// iceKept is how far back the logs of ice are read.
const iceKept = 60 * 24 * time.Hour

// iceLogs are what was written down of the ice, by place.
func iceLogs(rows []store.IceLogRow) map[int64][]icing.Entry {
	logs := map[int64][]icing.Entry{}
	for _, r := range rows {
		logs[r.PlaceID] = append(logs[r.PlaceID], icing.Entry{At: r.At, Kind: icing.Kind(r.Kind), Kg: r.Kg})
	}
	return logs
}

// Errors of a box are on the fields sides, wall, conductivity, air and outside.
func checkBox(b icing.Box, outsideC float64, bad *invalid.Errors) {
	if err := b.Check(); err != nil {
		bad.Add(map[error]string{icing.ErrSides: "sides", icing.ErrWall: "wall", icing.ErrFoam: "conductivity",
			icing.ErrAir: "air"}[err],
			"%v", err)
	}
	if unit.CheckCelsius(outsideC) != nil {
		bad.Add("outside", "%v", unit.ErrTempRange)
	}
}

func setBox(ctx context.Context, tx *store.Tx, site, place int64, b icing.Box, outsideC float64) error {
	return tx.SetBox(ctx, store.SetBoxParams{SiteID: site, ID: place, BoxLengthMm: &b.LengthMM,
		BoxWidthMm: &b.WidthMM, BoxHeightMm: &b.HeightMM,
		WallMm: &b.WallMM, WallWMk: &b.WallWMK, OutsideC: &outsideC,
		BoxOutsideH: b.OutsideH()})
}

// SetBox says what box a place is, and how warm the air around it is.
func (k *Kitchen) SetBox(ctx context.Context, placeID int64, b icing.Box, outsideC float64) error {
	var bad invalid.Errors
	checkBox(b, outsideC, &bad)
	return k.changePlace(ctx, access.Equip, placeID, bad, func(tx *store.Tx, a Actor, _ store.Place) error {
		return setBox(ctx, tx, a.Site.ID, placeID, b, outsideC)
	})
}

// NewIce is ice that was put into a box or found in it.
type NewIce struct {
	ID      uuid.UUID // from the client: the same ice twice is once
	PlaceID int64
	At      time.Time
	Kind    icing.Kind // Found, Added or Seen
	Kg      float64    // 0 for what was only seen
}

// iceSeenWithin is how much later it may be written down that ice was seen: what is remembered after
// that is a manager's explanation (house).
const iceSeenWithin = 24 * time.Hour

// ErrNoBox says that a place is not known as a box.
var ErrNoBox = errors.New("give the sides and walls of this box first")

// LogIce notes ice in a box: its forecast restarts from there; or that ice was seen around the fish of
// any place. Errors are on the fields kg and at.
func (k *Kitchen) LogIce(ctx context.Context, n NewIce) error {
	var bad invalid.Errors
	if n.ID == uuid.Nil {
		bad.Add("id", "is missing")
	}
	switch n.Kind {
	case icing.Found, icing.Added:
	case icing.Seen:
		n.Kg = 0
		if n.At.Before(k.Now().Add(-iceSeenWithin)) {
			bad.Add("at", "was more than a day ago: a manager explains it on the lot's card")
		}
	default:
		bad.Add("kind", "say whether it was found, added or seen")
	}
	if !(n.Kg >= 0 && n.Kg <= unit.MaxLotKilograms) || n.Kind == icing.Added && n.Kg == 0 {
		bad.Add("kg", "%v", unit.ErrMassRange)
	}
	if n.At.After(k.Now().Add(time.Minute)) {
		bad.Add("at", "lies in the future")
	}
	return k.changePlace(ctx, access.Write, n.PlaceID, bad, func(tx *store.Tx, a Actor, place store.Place) error {
		if placeOf(place).Box == nil && n.Kind != icing.Seen {
			return invalid.Errors{{Field: "kg", Message: ErrNoBox.Error()}}
		}
		return tx.AddIce(ctx, store.AddIceParams{SiteID: a.Site.ID, ID: n.ID, PlaceID: n.PlaceID, At: n.At,
			RecordedAt: k.Now(), PersonID: a.Person.ID, Kind: string(n.Kind), Kg: n.Kg})
	})
}

// Boxes lists the places that are boxes, in the order of the places.
func (k *Kitchen) Boxes(ctx context.Context) ([]lot.Place, error) {
	a := ActorFrom(ctx)
	rows, err := k.DB.Places(ctx, a.Site.ID)
	if err != nil {
		return nil, err
	}
	var boxes []lot.Place
	for _, r := range rows {
		if place := placeOf(r); place.Box != nil {
			boxes = append(boxes, place)
		}
	}
	return boxes, nil
}

// warmFor is how long a core reading still says how warm a fish goes into ice.
const warmFor = 2 * time.Hour

// ice records what an icing means for the ice in our boxes: what was put in with the fish,
// and what the warm fish will melt. It is given the icing as it stands in the state; of one
// that is cancelled p is nil, and both go.
func (c *change) ice(ctx context.Context, s *lot.State, e lot.Event, p lot.Payload) error {
	if e.Kind != lot.KindFor[lot.Iced]() {
		return nil
	}
	if s.Seq != e.Seq { // cancelled or corrected
		if err := c.DropIceOfEvent(ctx, store.DropIceOfEventParams{SiteID: c.a.Site.ID, EventID: &e.ID}); err != nil {
			return err
		}
	}
	iced, ok := p.(lot.Iced)
	if !ok || c.env.Places[iced.PlaceID].Box == nil {
		return nil
	}
	note := func(kind icing.Kind, kg float64) error {
		return c.AddIce(ctx, store.AddIceParams{SiteID: c.a.Site.ID, ID: NewID(), PlaceID: iced.PlaceID,
			At: e.HappenedAt, RecordedAt: c.k.Now(), PersonID: c.a.Person.ID, Kind: string(kind), Kg: kg,
			EventID: &e.ID})
	}
	if iced.IceKg != nil {
		if err := note(icing.Added, *iced.IceKg); err != nil {
			return err
		}
	}
	if celsius, ok := goesIn(s, e.HappenedAt); ok {
		if kg, err := icing.ToCool(s.Species(), s.WeightKg, celsius); err == nil && kg > 0 {
			if err := note(icing.Melted, kg); err != nil {
				return err
			}
		}
	}
	return c.env.loadPlaces(ctx) // its ice lasts longer now
}

// goesIn is how warm the fish is as it goes into ice: by its last core reading,
// else as the water or air it came from.
func goesIn(s *lot.State, at time.Time) (float64, bool) {
	var last *coldchain.Reading
	for i, r := range s.CoreReadings {
		if !r.At.After(at) && at.Sub(r.At) <= warmFor {
			last = &s.CoreReadings[i]
		}
	}
	if last != nil {
		return last.Celsius, true
	}
	if c := s.Harvest.AmbientC(); c != nil {
		return *c, true
	}
	return 0, false
}

// iceDue lists the boxes with fish in them that want ice by a time.
func (k *Kitchen) iceDue(ctx context.Context, until time.Time) ([]Due, error) {
	a := ActorFrom(ctx)
	l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return nil, err
	}
	inUse, err := k.DB.PlacesInUse(ctx, a.Site.ID)
	if err != nil {
		return nil, fmt.Errorf("loading the places in use: %w", err)
	}
	var due []Due
	for _, used := range inUse {
		place := l.places[used.PlaceID]
		if place.Ice.TopUp.IsZero() || place.Ice.TopUp.After(until) {
			continue
		}
		due = append(due, Due{Action: assess.Action{Do: "Top up ice",
			Why: fmt.Sprintf("%.1f kg melt an hour", place.Ice.MeltPerHour), Due: place.Ice.TopUp}, PlaceID: place.ID,
			Name: place.Name})
	}
	return due, nil
}
