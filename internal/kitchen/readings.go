package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/probe"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/store"
)

// Usual intervals assumed where a probe does not show its own (house). Readings
// by hand make a line as far as core readings do.
const (
	handInterval  = assess.CoreReadingGap / coldchain.GapFactor
	probeInterval = 5 * time.Minute
)

// put stores readings and notifies the other processes.
func (k *Kitchen) put(ctx context.Context, tx *store.Tx, p store.Probe, b store.Batch) (int64, error) {
	stored, err := tx.PutReadings(ctx, p, b)
	if errors.Is(err, store.ErrDropped) {
		return 0, invalid.Errors{{Field: "file", Message: err.Error()}}
	}
	if err != nil || stored == 0 {
		return stored, err
	}
	return stored, tx.Announce(ctx, p.SiteID, store.Touch{ProbeID: p.ID, First: b.First, Last: b.Last})
}

// Intake is what became of readings that a device sent.
type Intake struct {
	Stored    int64           `json:"stored"`
	Duplicate int64           `json:"duplicate"`
	Refused   []RefusedRecord `json:"refused"`
	Notes     []string        `json:"notes"` // what was put right: a clock that is ahead
}

// RefusedRecord is a reading that was not stored.
type RefusedRecord struct {
	Name   string `json:"name"`
	At     string `json:"at"`
	Reason string `json:"reason"`
}

// PutMeasurements stores what probes sent, by the probes' names, all that is
// good in one transaction. A clock that is ahead is put right, and the offset
// of a probe's last check is added.
func (k *Kitchen) PutMeasurements(ctx context.Context, list []intake.Measurement) (Intake, error) {
	a := ActorFrom(ctx)
	out := Intake{Refused: []RefusedRecord{}, Notes: []string{}}
	probes, err := k.DB.Probes(ctx, a.Site.ID)
	if err != nil {
		return out, err
	}
	byName := map[string]store.Probe{}
	for _, p := range probes {
		byName[p.Name] = p
	}
	good := map[int64][]coldchain.Reading{} // by the probes' clocks
	moist := map[int64][]intake.Measurement{}
	var values []store.PutDeviceValueParams
	unset := map[int64]bool{} // whose clock is not set
	now := k.Now()
	for _, m := range list {
		p, known := byName[m.Name]
		clock := probe.CheckTime(m.At, now)
		value, err := m.Celsius()
		switch p.Kind {
		case Scale:
			value, err = m.Kilograms()
		case Hygrometer:
			value, err = m.Share()
		}
		switch {
		case !known:
			err = errors.New("no probe of this name")
		case !a.MaySendOf(p.ID):
			err = errors.New("this token is for another probe")
		case err == nil && clock != nil:
			err = fmt.Errorf("time %w", clock)
			unset[p.ID] = unset[p.ID] || errors.Is(err, probe.ErrUnset)
		case err == nil && p.Kind != Scale && p.Kind != Hygrometer:
			err = unit.CheckCelsius(value)
		}
		if err != nil {
			out.Refused = append(out.Refused, RefusedRecord{m.Name, m.At.Format(time.RFC3339), err.Error()})
			continue
		}
		if p.Kind == Hygrometer {
			moist[p.ID] = append(moist[p.ID], m)
			continue
		}
		if p.Kind == Scale || p.Kind == Thermometer {
			values = append(values, store.PutDeviceValueParams{SiteID: p.SiteID, ProbeID: p.ID, At: m.At, Value: value})
			out.Stored++
			continue
		}
		good[p.ID] = append(good[p.ID], coldchain.Reading{At: m.At.Truncate(time.Microsecond), Celsius: value})
	}
	fromDevices := out
	err = k.DB.Write(ctx, func(tx *store.Tx) error {
		out = fromDevices
		out.Refused, out.Notes = slices.Clone(fromDevices.Refused), []string{}
		for _, v := range values {
			if err := tx.PutDeviceValue(ctx, v); err != nil {
				return err
			}
		}
		var touches []store.Touch
		humid := false             // whether any humidity is new
		for _, p := range probes { // in one order, so that two packs never wait for each other
			if unset[p.ID] {
				if err := k.noteUnset(ctx, tx, p, now, &out); err != nil {
					return err
				}
			}
			if len(moist[p.ID]) > 0 {
				had := out.Stored
				if err := k.putHumidity(ctx, tx, a, p, moist[p.ID], &out); err != nil {
					return fmt.Errorf("humidity of %s: %w", p.Name, err)
				}
				humid = humid || out.Stored > had
			}
			if len(good[p.ID]) == 0 {
				continue
			}
			touched, err := k.putSent(ctx, tx, p, good[p.ID], &out)
			if err != nil {
				return fmt.Errorf("readings of %s: %w", p.Name, err)
			}
			touches = append(touches, touched...)
		}
		if err := tx.Announce(ctx, a.Site.ID, touches...); err != nil {
			return err
		}
		if humid { // its lots are projected anew already
			return tx.Changed(ctx, a.Site.ID)
		}
		return nil
	})
	return out, err
}

// noteUnset says, once a day, that the clock of a probe is not set.
func (k *Kitchen) noteUnset(ctx context.Context, tx *store.Tx, p store.Probe, now time.Time, out *Intake) error {
	const text = "its clock is not set: its readings are refused; set the clock"
	out.Notes = append(out.Notes, p.Name+": "+text)
	last, err := tx.LastProbeNote(ctx, store.LastProbeNoteParams{SiteID: p.SiteID, ProbeID: p.ID, Text: text})
	if err != nil || now.Sub(last) < 24*time.Hour {
		return err
	}
	return tx.AddProbeNote(ctx, store.AddProbeNoteParams{SiteID: p.SiteID, ProbeID: p.ID, At: now, Text: text})
}

// putSent stores what one probe sent, and returns what of its time has changed.
func (k *Kitchen) putSent(ctx context.Context, tx *store.Tx, p store.Probe, readings []coldchain.Reading,
	out *Intake) ([]store.Touch, error) {
	slices.SortStableFunc(readings, func(a, b coldchain.Reading) int { return a.At.Compare(b.At) })
	clock, err := k.checkClock(ctx, tx, p, readings[0].At, readings[len(readings)-1].At, out)
	if err != nil {
		return nil, err
	}
	offsets, err := tx.OffsetsOfProbe(ctx, store.OffsetsOfProbeParams{SiteID: p.SiteID, ProbeID: p.ID})
	if err != nil {
		return nil, err
	}
	applied := make([]probe.Offset, len(offsets))
	for i, o := range offsets {
		applied[i] = probe.Offset{At: o.At, C: o.OffsetC}
	}
	right := make([]coldchain.Reading, len(readings))
	for i, r := range readings {
		at := clock.Right(r.At)
		right[i] = coldchain.Reading{At: at, Celsius: r.Celsius + probe.OffsetAt(applied, at)}
	}
	slices.SortStableFunc(right, func(a, b coldchain.Reading) int { return a.At.Compare(b.At) })
	batch := store.BatchOf(right)
	stored, err := tx.PutReadings(ctx, p, batch)
	if errors.Is(err, store.ErrDropped) {
		out.Refused = append(out.Refused, RefusedRecord{p.Name, right[0].At.Format(time.RFC3339), err.Error()})
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	out.Stored += stored
	out.Duplicate += int64(len(readings)) - stored
	if stored == 0 {
		return nil, nil
	}
	return []store.Touch{{ProbeID: p.ID, First: batch.First, Last: batch.Last}}, nil
}

// checkClock compares a probe's clock with the present and notes where it is
// ahead, or right again.
func (k *Kitchen) checkClock(ctx context.Context, tx *store.Tx, p store.Probe, first, last time.Time,
	out *Intake) (probe.Clock, error) {
	now := k.Now()
	if p.AheadFrom == nil && !last.After(now) {
		return probe.Clock{}, nil
	}
	row, err := tx.LockProbe(ctx, store.LockProbeParams{SiteID: p.SiteID, ID: p.ID})
	if err != nil {
		return probe.Clock{}, err
	}
	var clock probe.Clock
	if row.AheadFrom != nil {
		clock = probe.Clock{Ahead: time.Duration(row.AheadS) * time.Second, From: *row.AheadFrom}
	}
	clock, changed := clock.Hear(first, last, now, func(at time.Time) bool {
		var is bool
		is, err = tx.AnyReadingBetween(ctx, store.AnyReadingBetweenParams{SiteID: p.SiteID, ProbeID: p.ID, FromAt: at,
			ToAt: at})
		return is
	})
	if err != nil || !changed {
		return clock, err
	}
	set := store.SetProbeClockParams{SiteID: p.SiteID, ID: p.ID, AheadS: int64(clock.Ahead.Seconds())}
	text := "its clock is right again"
	if clock.Ahead > 0 {
		set.AheadFrom = &clock.From
		text = fmt.Sprintf("its clock is %s ahead: its readings are put right by that from now on; set the clock",
			clock.Ahead)
	}
	if err := tx.SetProbeClock(ctx, set); err != nil {
		return clock, err
	}
	out.Notes = append(out.Notes, p.Name+": "+text)
	return clock, tx.AddProbeNote(ctx, store.AddProbeNoteParams{SiteID: p.SiteID, ProbeID: p.ID, At: now, Text: text})
}

// RetainReadings drops the readings of whole months that lie more than some months back,
// each month in one step however many readings it has; the roll-up of their
// hours stays, and answers for them. It returns how many months were dropped. It needs the owner's login.
func (k *Kitchen) RetainReadings(ctx context.Context, months int) (int, error) {
	now := k.Now()
	before := time.Date(now.Year(), now.Month()-time.Month(months), 1, 0, 0, 0, 0, time.UTC)
	n, err := store.New(k.DB.Pool).DropReadingsBefore(ctx, before)
	return int(n), err
}
