package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/alarm"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// layout is the site's places and probes.
type layout struct {
	rows    []store.Place // in their order
	places  map[int64]lot.Place
	probes  []store.Probe
	stays   []store.ProbeStay          // in the order of time
	dealers map[int64]time.Time        // until when their number stands
	doubts  map[int64][]coldchain.Span // when a probe is distrusted, by its checks
}

// layoutOf loads the places with the probes that measured them, loggers before
// clipboards.
func (k *Kitchen) layoutOf(ctx context.Context, q *store.Queries, site Site) (layout, error) {
	read, err := q.Layout(ctx, site.ID, k.Now().Add(-iceKept))
	if err != nil {
		return layout{}, err
	}
	l := layout{rows: slices.DeleteFunc(slices.Clone(read.Places), func(p store.Place) bool { return p.Elsewhere }), probes: read.Probes, stays: read.Stays, places: map[int64]lot.Place{},
		dealers: dealersOf(read.Suppliers, site), doubts: doubtsOf(read.Checks)}
	logs := iceLogs(read.Ice)
	for _, p := range read.Places {
		place := placeOf(p)
		if place.Box != nil {
			place.Ice = icing.Predict(*place.Box, place.OutsideC, logs[p.ID])
		} else {
			place.Seen = icing.Looks(logs[p.ID])
		}
		for _, probe := range l.probes {
			if probe.Kind == Hygrometer { // measures no temperature
				continue
			}
			for _, stay := range l.stays {
				if stay.ProbeID == probe.ID && stay.PlaceID == p.ID {
					place.Probes = append(place.Probes,
						lot.ProbeStay{ProbeID: probe.ID, Span: coldchain.Span{From: stay.FromAt, To: stay.ToAt},
							Name: probe.Name, ByHand: probe.Kind == ByHand || probe.Kind == MaximumSeen,
							Maximum: probe.Kind == MaximumSeen})
				}
			}
		}
		l.places[p.ID] = place
	}
	return l, nil
}

// doubtsOf are the times in which probes are distrusted, by their checks.
func doubtsOf(rows []store.ChecksRow) map[int64][]coldchain.Span {
	checks := map[int64][]probe.Check{}
	for _, r := range rows {
		checks[r.ProbeID] = append(checks[r.ProbeID],
			probe.Check{At: r.At, Method: probe.Method(r.Method), ReadC: r.ReadC, TrueC: r.TrueC})
	}
	doubts := map[int64][]coldchain.Span{}
	for id, list := range checks {
		if spans := probe.Distrusted(list, forever); len(spans) > 0 {
			doubts[id] = spans
		}
	}
	return doubts
}

// placeOf is a place without its probes and its ice.
func placeOf(p store.Place) lot.Place {
	place := lot.Place{ID: p.ID, Name: p.Name, Kind: p.Kind, SetC: p.SetC, Air: p.Air, CapacityKg: p.CapacityKg,
		Holds:  lot.Holds(p.Holds),
		Column: int(p.PlanCol), Level: int(p.PlanLevel), WarmC: p.WarmC, ColdC: p.ColdC, Cooling: p.Cooling,
		SpeedMS: p.AirSpeedMs, PowerW: p.PowerW, Elsewhere: p.Elsewhere}
	if p.DelayMinutes != nil {
		delay := time.Duration(*p.DelayMinutes) * time.Minute
		place.Delay = &delay
	}
	if p.BoxLengthMm != nil {
		place.Box, place.OutsideC = &icing.Box{LengthMM: *p.BoxLengthMm, WidthMM: *p.BoxWidthMm,
			HeightMM: *p.BoxHeightMm, WallMM: *p.WallMm, WallWMK: *p.WallWMk, AirH: p.BoxOutsideH}, *p.OutsideC
	}
	return place
}

// NewPlace is a place to be added.
type NewPlace struct {
	Name, Kind string
	SetC       float64
	Contact    bool      // its probes measure what the fish touches, not the air
	CapacityKg *float64  // nil where nobody says
	Holds      lot.Holds // "" for what is usual for its kind
	Column     int       // in the plan; columns begin at 1, 0 puts it behind the others
	Level      int
	Box        *icing.Box // nil for what is no box
	OutsideC   float64    // the air around it
}

// Bounds of the plan, and of what a place may hold.
const (
	mostColumns, mostLevels = 12, 6
	mostCapacityKg          = 100_000
)

func checkPlace(p NewPlace, field func(string) string, bad *invalid.Errors) {
	if strings.TrimSpace(p.Name) == "" || invalid.TooLong(p.Name, 60) {
		bad.Add(field("name"), "give the place a name of at most 60 characters")
	}
	if !slices.Contains(lot.PlaceKinds, p.Kind) {
		bad.Add(field("kind"), "choose the kind of place")
	}
	if unit.CheckCelsius(p.SetC) != nil {
		bad.Add(field("set"), "%v", unit.ErrTempRange)
	}
	if p.CapacityKg != nil && !(*p.CapacityKg > 0 && *p.CapacityKg <= mostCapacityKg) {
		bad.Add(field("capacity"), "must be above 0 and at most %d kg", mostCapacityKg)
	}
	if p.Holds != "" && !slices.Contains(lot.AllHolds, p.Holds) {
		bad.Add(field("holds"), "choose what lies in it")
	}
	if p.Box != nil {
		checkBox(*p.Box, p.OutsideC, bad)
	}
}

// addPlace stores a place, with its walls where it is a box.
func addPlace(ctx context.Context, tx *store.Tx, site int64, p NewPlace) error {
	if p.Holds == "" {
		p.Holds = lot.HoldsNone
		if (lot.Place{Kind: p.Kind}).Cold() {
			p.Holds = lot.HoldsRaw
		}
	}
	if p.Column == 0 {
		rows, err := tx.Places(ctx, site)
		if err != nil {
			return err
		}
		for _, r := range rows {
			p.Column = min(max(p.Column, int(r.PlanCol)), mostColumns-1)
		}
		p.Column++
	}
	id, err := tx.AddPlace(ctx, store.AddPlaceParams{SiteID: site, Name: strings.TrimSpace(p.Name), Kind: p.Kind,
		SetC: p.SetC, Air: !p.Contact,
		CapacityKg: p.CapacityKg, Holds: string(p.Holds), PlanCol: int64(p.Column), PlanLevel: int64(p.Level)})
	if err != nil || p.Box == nil {
		return err
	}
	return setBox(ctx, tx, site, id, *p.Box, p.OutsideC)
}

// AddPlace adds a place to the kitchen. Its errors are on the fields name,
// kind, set, capacity and holds.
func (k *Kitchen) AddPlace(ctx context.Context, p NewPlace) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Equip); err != nil {
		return err
	}
	var bad invalid.Errors
	checkPlace(p, func(field string) string { return field }, &bad)
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := addPlace(ctx, tx, a.Site.ID, p); store.IsDuplicate(err) {
			return errPlaceName
		} else if err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

var errPlaceName = invalid.Errors{{Field: "name", Message: "there is a place of this name"}}

// PlaceChange is how a place is to be from now on.
type PlaceChange struct {
	NewPlace              // of it the name, the set temperature, what is measured, the capacity and the content
	WarmC, ColdC *float64 // own limits
	DelayMinutes *int64   // of its alarms
}

// SetPlace changes a place. Its errors are on the fields of AddPlace, and warm,
// cold and delay.
func (k *Kitchen) SetPlace(ctx context.Context, id int64, c PlaceChange) error {
	var bad invalid.Errors
	c.Kind = lot.PlaceKinds[0] // it stays what it is
	checkPlace(c.NewPlace, func(field string) string { return field }, &bad)
	for field, limit := range map[string]*float64{"warm": c.WarmC, "cold": c.ColdC} {
		if limit != nil && unit.CheckCelsius(*limit) != nil {
			bad.Add(field, "%v", unit.ErrTempRange)
		}
	}
	if c.DelayMinutes != nil && (*c.DelayMinutes < 0 || *c.DelayMinutes > 120) {
		bad.Add("delay", "must be between 0 and 120 minutes")
	}
	profile := ActorFrom(ctx).Profile()
	return k.changePlace(ctx, access.Equip, id, bad, func(tx *store.Tx, a Actor, row store.Place) error {
		place := placeOf(row)
		if limit := place.Rules(profile, lot.Contents{}, 0).WarmC; c.WarmC != nil && place.WarmC == nil &&
			*c.WarmC > limit {
			return invalid.Errors{{Field: "warm",
				Message: fmt.Sprintf("is milder than the rules %s allow: at most %.1f °C", profile.Name, limit)}}
		}
		err := tx.SetPlace(ctx, store.SetPlaceParams{SiteID: a.Site.ID, ID: id, Name: strings.TrimSpace(c.Name),
			SetC: c.SetC, Air: !c.Contact, CapacityKg: c.CapacityKg,
			Holds: string(c.Holds), WarmC: c.WarmC, ColdC: c.ColdC, DelayMinutes: c.DelayMinutes})
		if store.IsDuplicate(err) {
			return errPlaceName
		}
		return err
	})
}

// SetPlan puts a place somewhere else in the plan of the kitchen.
func (k *Kitchen) SetPlan(ctx context.Context, id int64, column, level int) error {
	var bad invalid.Errors
	if column < 1 || column > mostColumns || level < 0 || level >= mostLevels {
		bad.Add("plan", "the plan has %d columns and %d levels", mostColumns, mostLevels)
	}
	return k.changePlace(ctx, access.Equip, id, bad, func(tx *store.Tx, a Actor, _ store.Place) error {
		return tx.SetPlan(ctx, store.SetPlanParams{SiteID: a.Site.ID, ID: id, PlanCol: int64(column),
			PlanLevel: int64(level)})
	})
}

// lockPlace holds a place of the site until the transaction ends. A place that is not
// of the site is an invalid.Errors on the field place.
func lockPlace(ctx context.Context, tx *store.Tx, site, id int64) (store.Place, error) {
	place, err := tx.LockPlace(ctx, store.LockPlaceParams{SiteID: site, ID: id})
	if errors.Is(err, store.ErrNotFound) {
		return place, invalid.Errors{{Field: "place_id", Message: "choose a place of this kitchen"}}
	} else if err != nil {
		return place, fmt.Errorf("locking place %d: %w", id, err)
	}
	return place, nil
}

// changePlace changes something of a place and marks its lots stale.
func (k *Kitchen) changePlace(ctx context.Context, right access.Right, placeID int64, bad invalid.Errors,
	change func(*store.Tx, Actor, store.Place) error) error {
	a := ActorFrom(ctx)
	if err := a.need(right); err != nil {
		return err
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		place, err := tx.LockPlace(ctx, store.LockPlaceParams{SiteID: a.Site.ID, ID: placeID})
		if err != nil {
			return err
		}
		if err := change(tx, a, place); err != nil {
			return err
		}
		if err := tx.MarkPlaceStale(ctx, store.MarkPlaceStaleParams{SiteID: a.Site.ID, PlaceID: placeID,
			FromAt: k.Now()}); err != nil {
			return err
		}
		if err := k.refreshOnHand(ctx, tx, a.Site, func(b store.LotBoard) bool {
			return b.PlaceID == placeID
		}); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// PlaceView is a place with what its probes said last.
type PlaceView struct {
	lot.Place
	Rules    alarm.Rules        // what its alarms go by
	Probe    *store.Probe       // the one that is drawn; nil where the place has none
	Latest   *coldchain.Reading // of all its probes
	Trace    []TracePoint       // of the last day, by the hour
	LotCount int
	LotKg    float64
	Contents lot.Contents
	Below    *lot.Place   // ready-to-eat food under its raw fish; nil for none
	Alarms   []AlarmEntry // that last, or wait for an action
}

// Silent reports whether the place has a probe that should have reported by now.
func (p PlaceView) Silent(now time.Time) bool {
	return p.Probe != nil && p.Latest != nil && p.Probe.Kind == Fixed && now.Sub(p.Latest.At) > p.Rules.SilentAfter()
}

// Warm reports whether the place is warmer now than it may be.
func (p PlaceView) Warm() bool { return p.Latest != nil && p.Latest.Celsius > p.Rules.WarmC }

// RoomKg is what still fits; nil where nobody said how much does.
func (p PlaceView) RoomKg() *float64 {
	if p.CapacityKg == nil {
		return nil
	}
	room := *p.CapacityKg - p.LotKg
	return &room
}

// PlaceList lists the places of the kitchen in their order.
func (k *Kitchen) PlaceList(ctx context.Context) ([]lot.Place, error) {
	rows, err := k.DB.Places(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, placeOf)
}

// Places lists the cold places with their last readings and the last day.
func (k *Kitchen) Places(ctx context.Context) ([]PlaceView, error) {
	a := ActorFrom(ctx)
	q := k.DB.Queries
	l, err := k.layoutOf(ctx, q, a.Site)
	if err != nil {
		return nil, err
	}
	inUse, err := q.PlacesInUse(ctx, a.Site.ID)
	if err != nil {
		return nil, err
	}
	alarms, err := k.OpenAlarms(ctx)
	if err != nil {
		return nil, err
	}
	now := k.Now()
	day := coldchain.Span{From: now.Add(-24 * time.Hour), To: now}
	views := make([]PlaceView, len(l.rows))
	for i, r := range l.rows {
		use := useOf(inUse, r.ID)
		v := PlaceView{Place: l.places[r.ID], LotCount: int(use.Lots), LotKg: use.Kg, Contents: contents(use)}
		if below, over := v.Over(l.places); over {
			v.Below = &below
		}
		for _, alarm := range alarms {
			if alarm.PlaceID == r.ID {
				v.Alarms = append(v.Alarms, alarm)
			}
		}
		for _, p := range l.measuring(v.Place, now) {
			if p.LastAt != nil && (v.Latest == nil || p.LastAt.After(v.Latest.At)) {
				v.Latest = &coldchain.Reading{At: *p.LastAt, Celsius: *p.LastC}
			}
			if v.Probe == nil {
				v.Probe = &p
				rolled, err := k.DB.Rolled(ctx, q, p, []coldchain.Span{day})
				if err != nil {
					return nil, err
				}
				v.Trace = hourPoints(rolled, day)
			}
		}
		var interval time.Duration
		if v.Probe != nil {
			interval = time.Duration(v.Probe.IntervalS) * time.Second
		}
		v.Rules = v.Place.Rules(a.Profile(), v.Contents, interval)
		views[i] = v
	}
	return views, nil
}

// measuring are the probes that measure a place at a time, best first.
func (l layout) measuring(place lot.Place, at time.Time) []store.Probe {
	var list []store.Probe
	for _, stay := range place.Probes {
		if at.Before(stay.From) || !at.Before(stay.To) {
			continue
		}
		for _, p := range l.probes {
			if p.ID == stay.ProbeID && p.Kind != MaximumSeen { // how warm it was, not how warm it is
				list = append(list, p)
			}
		}
	}
	return list
}
