package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/unit"
	"leancatch/internal/store"
)

// The kinds of probe.
const (
	Fixed       = "fixed"       // sends readings of a place
	LoggerFile  = "logger"      // its files are imported
	ByHand      = "hand"        // a clipboard
	MaximumSeen = "maximum"     // the highest that a thermometer shows since it was last read
	Thermometer = "thermometer" // handheld: its last value is offered on forms
	Scale       = "scale"       // the same, kg
	Hygrometer  = "hygrometer"  // sends the relative humidity of a place
)

// longAgo is since when a probe measures that nobody ever moved.
var longAgo = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// Probe is a device that measures, or a clipboard that stands for one.
type Probe struct {
	SiteID    int64
	ID        int64
	Name      string // as it sends it
	IntervalS int64  // the usual time between two readings, s
	Touched   int64
	Kind      string
	LastAt    *time.Time // of its last reading
	LastC     *float64   // °C
	AheadS    int64      // how far its clock is ahead, s
	AheadFrom *time.Time // since when; nil where it is right
}

func probeOf(r store.Probe) Probe {
	return Probe{r.SiteID, r.ID, r.Name, r.IntervalS, r.Touched, r.Kind, r.LastAt, r.LastC, r.AheadS, r.AheadFrom}
}

// ProbeList lists the probes of the kitchen.
func (k *Kitchen) ProbeList(ctx context.Context) ([]Probe, error) {
	rows, err := k.DB.Probes(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, probeOf)
}

// NewProbe is a probe to be added.
type NewProbe struct {
	Name     string
	Kind     string
	PlaceID  int64         // 0 for one that travels, or is held in the hand
	Since    time.Time     // when it came to the place; zero for ever since
	Interval time.Duration // 0 for five minutes
}

// AddProbe adds a probe and returns it. Errors are on the fields name, kind and
// place.
func (k *Kitchen) AddProbe(ctx context.Context, n NewProbe) (added Probe, err error) {
	a := ActorFrom(ctx)
	if err := a.need(access.Equip); err != nil {
		return added, err
	}
	var bad invalid.Errors
	if n.Name = strings.TrimSpace(n.Name); n.Name == "" || invalid.TooLong(n.Name, 80) {
		bad.Add("name", "give the probe a name of at most 80 characters")
	}
	if !slices.Contains([]string{Fixed, Thermometer, Scale, Hygrometer}, n.Kind) {
		bad.Add("kind", "choose what it is")
	}
	if (n.Kind == Fixed || n.Kind == Hygrometer) && n.PlaceID == 0 {
		bad.Add("place_id", "choose where it measures")
	}
	if err := bad.Err(); err != nil {
		return added, err
	}
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		_, err := tx.ProbeByName(ctx, store.ProbeByNameParams{SiteID: a.Site.ID, Name: n.Name})
		if err == nil {
			return invalid.Errors{{Field: "name", Message: "there is a probe of this name"}}
		} else if !errors.Is(err, ErrNotFound) {
			return err
		}
		if n.PlaceID != 0 {
			if _, err := lockPlace(ctx, tx, a.Site.ID, n.PlaceID); err != nil {
				return err
			}
		}
		row, err := k.ensureProbe(ctx, tx, a.Site, n)
		if err != nil {
			return err
		}
		added = probeOf(row)
		return tx.Changed(ctx, a.Site.ID)
	})
	return added, err
}

// ensureProbe returns the probe of the name, made where there is none.
func (k *Kitchen) ensureProbe(ctx context.Context, tx *store.Tx, site Site, n NewProbe) (store.Probe, error) {
	p, err := tx.ProbeByName(ctx, store.ProbeByNameParams{SiteID: site.ID, Name: n.Name})
	if !errors.Is(err, ErrNotFound) {
		return p, err
	}
	if n.Interval == 0 {
		n.Interval = probeInterval
	}
	p, err = tx.AddProbe(ctx, store.AddProbeParams{SiteID: site.ID, Name: n.Name, Kind: n.Kind,
		IntervalS: int64(n.Interval.Seconds())})
	if err != nil {
		return p, fmt.Errorf("adding the probe %s: %w", n.Name, err)
	}
	if n.PlaceID == 0 {
		return p, nil
	}
	if n.Since.IsZero() {
		n.Since = longAgo
	}
	if err := tx.AddStay(ctx, store.AddStayParams{SiteID: site.ID, ProbeID: p.ID, PlaceID: n.PlaceID,
		FromAt: n.Since}); err != nil {
		return p, err
	}
	// The clocks of the lots in the place draw on the new probe from now on.
	return p, k.refreshOnHand(ctx, tx, site, func(b store.LotBoard) bool { return b.PlaceID == n.PlaceID })
}

// changeProbe changes something of a probe, audits it and marks the lots of the
// kitchen stale, which may depend on it.
func (k *Kitchen) changeProbe(ctx context.Context, id int64, bad invalid.Errors,
	change func(*store.Tx, Actor, store.Probe) (note string, err error)) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockProbe(ctx, store.LockProbeParams{SiteID: a.Site.ID, ID: id}); err != nil {
			return err
		}
		p, err := tx.Probe(ctx, store.ProbeParams{SiteID: a.Site.ID, ID: id})
		if err != nil {
			return err
		}
		note, err := change(tx, a, p)
		if err != nil {
			return err
		}
		if note != "" {
			if err := tx.AddProbeNote(ctx, store.AddProbeNoteParams{SiteID: a.Site.ID, ProbeID: id, At: k.Now(),
				PersonID: &a.Person.ID, Text: note}); err != nil {
				return err
			}
		}
		if err := k.refreshOnHand(ctx, tx, a.Site, func(store.LotBoard) bool { return true }); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// MoveProbe says in which place a probe measures since a time: what it read
// since then counts there. Place 0 takes it out of use.
func (k *Kitchen) MoveProbe(ctx context.Context, id, placeID int64, since time.Time) error {
	var bad invalid.Errors
	if since.After(k.Now().Add(time.Minute)) {
		bad.Add("since", "lies in the future")
	}
	return k.changeProbe(ctx, id, bad, func(tx *store.Tx, a Actor, p store.Probe) (string, error) {
		if p.Kind != Fixed && p.Kind != LoggerFile {
			return "", invalid.Errors{{Field: "place_id", Message: "only a probe that measures a place is moved"}}
		}
		if err := tx.DropStaysFrom(ctx, store.DropStaysFromParams{SiteID: a.Site.ID, ProbeID: id,
			At: since}); err != nil {
			return "", err
		}
		if err := tx.EndStays(ctx, store.EndStaysParams{SiteID: a.Site.ID, ProbeID: id, At: since}); err != nil {
			return "", err
		}
		when := " since " + since.In(a.Zone()).Format("2 Jan 15:04")
		if placeID == 0 {
			return "out of use" + when, nil
		}
		place, err := lockPlace(ctx, tx, a.Site.ID, placeID)
		if err != nil {
			return "", err
		}
		if err := tx.MarkPlaceStale(ctx, store.MarkPlaceStaleParams{SiteID: a.Site.ID, PlaceID: placeID,
			FromAt: since}); err != nil {
			return "", err
		}
		return "measures " + place.Name + when,
			tx.AddStay(ctx, store.AddStayParams{SiteID: a.Site.ID, ProbeID: id, PlaceID: placeID, FromAt: since})
	})
}

// ReassignReadings gives readings that came under the name of one probe to the
// one that took them. Where both have a reading of an instant, the other's stays.
func (k *Kitchen) ReassignReadings(ctx context.Context, from, to int64, span coldchain.Span) error {
	var bad invalid.Errors
	if from == to {
		bad.Add("to", "choose another probe")
	}
	if !span.From.Before(span.To) {
		bad.Add("until", "must lie after the beginning")
	}
	return k.changeProbe(ctx, from, bad, func(tx *store.Tx, a Actor, p store.Probe) (string, error) {
		other, err := tx.Probe(ctx, store.ProbeParams{SiteID: a.Site.ID, ID: to})
		if err != nil || other.Kind == Thermometer || other.Kind == Scale {
			return "", invalid.Errors{{Field: "to", Message: "choose the probe that took them"}}
		}
		n, err := tx.MoveReadings(ctx, store.MoveReadingsParams{SiteID: a.Site.ID, ToProbe: to, FromProbe: from,
			FromAt: span.From, ToAt: span.To})
		if err != nil {
			return "", fmt.Errorf("moving readings: %w", err)
		}
		if n == 0 {
			return "", invalid.Errors{{Field: "until", Message: "there are no readings of it in this time"}}
		}
		for _, x := range []store.Probe{p, other} {
			if err := tx.Touched(ctx, x, span.From, span.To); err != nil {
				return "", err
			}
		}
		if err := tx.Announce(ctx, a.Site.ID, store.Touch{ProbeID: p.ID, First: span.From, Last: span.To},
			store.Touch{ProbeID: other.ID, First: span.From, Last: span.To}); err != nil {
			return "", err
		}
		zone := a.Zone()
		text := fmt.Sprintf("%d readings from %s to %s", n, span.From.In(zone).Format("2 Jan 15:04"),
			span.To.In(zone).Format("2 Jan 15:04"))
		if err := tx.AddProbeNote(ctx, store.AddProbeNoteParams{SiteID: a.Site.ID, ProbeID: to, At: k.Now(),
			PersonID: &a.Person.ID, Text: text + " taken over from " + p.Name}); err != nil {
			return "", err
		}
		return text + " given to " + other.Name, nil
	})
}

// NewCheck is a check of a probe.
type NewCheck struct {
	ID        uuid.UUID // from the client: the same check twice is one
	ProbeID   int64
	Method    probe.Method
	ReadC     float64 // by the probe itself, without an offset
	TrueC     float64 // of the reference; not asked for the other methods
	AltitudeM float64 // for the boiling point
	Note      string
}

// CheckProbe records a check of a probe. Its offset is added to what the probe
// reads from now on.
func (k *Kitchen) CheckProbe(ctx context.Context, n NewCheck) error {
	var bad invalid.Errors
	if !slices.Contains(probe.Methods, n.Method) {
		bad.Add("method", "choose how it was checked")
	}
	if !(n.ReadC >= -60 && n.ReadC <= 120) {
		bad.Add("read", "must be between −60 and 120 °C")
	}
	if n.Method == probe.Reference && unit.CheckCelsius(n.TrueC) != nil {
		bad.Add("true", "%v", unit.ErrTempRange)
	}
	if n.Method == probe.Boiling && !(n.AltitudeM >= probe.LowestM && n.AltitudeM <= probe.HighestM) {
		bad.Add("altitude", "must be between %.0f and %.0f m", probe.LowestM, probe.HighestM)
	}
	if invalid.TooLong(n.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
	return k.changeProbe(ctx, n.ProbeID, bad, func(tx *store.Tx, a Actor, p store.Probe) (string, error) {
		truth := n.Method.TrueC(n.AltitudeM, n.TrueC)
		v := n.Method.Judge(n.ReadC, truth)
		err := tx.AddProbeCheck(ctx, store.AddProbeCheckParams{SiteID: a.Site.ID, ID: n.ID, ProbeID: p.ID,
			At: k.Now(), PersonID: a.Person.ID, Method: string(n.Method),
			ReadC: n.ReadC, TrueC: truth, AltitudeM: n.AltitudeM, OffsetC: v.OffsetC, Passed: !v.Broken, Note: n.Note})
		return "", err
	})
}

// ProbeToken makes a token that may only send the readings of one probe. It
// replaces the one that the probe had.
func (k *Kitchen) ProbeToken(ctx context.Context, id int64) (token string, err error) {
	a := ActorFrom(ctx)
	p, err := k.DB.Probe(ctx, store.ProbeParams{SiteID: a.Site.ID, ID: id})
	if err != nil {
		return "", err
	}
	return k.AddToken(ctx, NewToken{Name: p.Name, Scopes: []access.Scope{access.ScopeReadings},
		ProbeIDs: []int64{p.ID}})
}
