package kitchen

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/alarm"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// watchBefore is how much of the past is looked at around what is new, so that
// an alarm that was under way is seen from its beginning; watchMost bounds how
// far back late readings still raise one.
const (
	watchBefore = 3 * time.Hour
	watchMost   = 30 * 24 * time.Hour
)

// WatchStale looks at the places whose readings have changed, or stopped coming,
// until none is left. Any number of processes may do it at once.
func (k *Kitchen) WatchStale(ctx context.Context) error {
	ctx = store.Everywhere(ctx)
	for {
		done := 0
		err := k.DB.Write(ctx, func(tx *store.Tx) error {
			stale, err := tx.TakeStalePlaces(ctx, staleBatch)
			if err != nil {
				return err
			}
			done = len(stale)
			bySite := map[int64][]store.StalePlace{}
			for _, s := range stale {
				bySite[s.SiteID] = append(bySite[s.SiteID], s)
			}
			for siteID, places := range bySite {
				if err := k.watchSite(ctx, tx, siteID, places); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return fmt.Errorf("watching places: %w", err)
		}
		if done < staleBatch {
			return nil
		}
	}
}

func (k *Kitchen) watchSite(ctx context.Context, tx *store.Tx, siteID int64, stale []store.StalePlace) error {
	site, err := tx.SiteByID(ctx, siteID)
	if err != nil {
		return err
	}
	l, err := k.layoutOf(ctx, tx.Queries, Site(site))
	if err != nil {
		return err
	}
	inUse, err := tx.PlacesInUse(ctx, siteID)
	if err != nil {
		return err
	}
	changed := false
	for _, s := range stale {
		did, err := k.watch(ctx, tx, Site(site), l, l.places[s.PlaceID], useOf(inUse, s.PlaceID), s.FromAt)
		if err != nil {
			return fmt.Errorf("place %d: %w", s.PlaceID, err)
		}
		changed = changed || did
	}
	if !changed {
		return nil
	}
	return tx.Changed(ctx, siteID)
}

// watch brings the alarms of a place in line with its readings since a time. It
// reports whether any changed.
func (k *Kitchen) watch(ctx context.Context, tx *store.Tx, site Site, l layout, place lot.Place,
	use store.PlacesInUseRow, from time.Time) (bool, error) {
	now := k.Now()
	if oldest := now.Add(-watchMost); from.Before(oldest) {
		from = oldest
	}
	from = from.Add(-watchBefore)
	known, from, err := k.knownAlarms(ctx, tx, site.ID, place.ID, from)
	if err != nil {
		return false, err
	}
	var watched []alarm.Watched
	found := map[int64][]alarm.Episode{}
	for _, stay := range place.Probes {
		i := slices.IndexFunc(l.probes, func(p store.Probe) bool { return p.ID == stay.ProbeID })
		span := stay.Clip(coldchain.Span{From: from, To: now})
		if i < 0 || span.Len() <= 0 || stay.Maximum { // of a maximum nobody knows when, nor how long
			continue
		}
		rules := place.Rules(Actor{Site: site}.Profile(), contents(use), 0)
		if l.probes[i].Kind == Fixed {
			rules.Interval = time.Duration(l.probes[i].IntervalS) * time.Second
		} else {
			rules.Doors = false
		}
		rows, err := tx.ReadingsBetween(ctx, store.ReadingsBetweenParams{SiteID: site.ID, ProbeID: stay.ProbeID,
			FromAt: span.From, ToAt: span.To.Add(time.Microsecond)})
		if err != nil {
			return false, err
		}
		readings := make([]coldchain.Reading, len(rows))
		for j, r := range rows {
			readings[j] = coldchain.Reading(r)
		}
		seen := alarm.Watch(readings, span.To, rules)
		if l.probes[i].Kind == Fixed {
			own := alarm.Watched{Readings: readings, MaxGap: rules.SilentAfter()}
			for _, other := range watched {
				seen = append(seen, alarm.Apart(other, own, span.To)...)
			}
			watched = append(watched, own)
		}
		found[stay.ProbeID] = append(found[stay.ProbeID], seen...) // it may have been here twice
	}
	changed := false
	for id, seen := range found {
		did, err := k.settleAlarms(ctx, tx, site.ID, place, id, use, known, seen)
		if err != nil {
			return false, err
		}
		changed = changed || did
	}
	return changed, nil
}

// knownAlarms are the alarms of a place that reach beyond a time, and a time
// before all of them, so that each is seen from its beginning.
func (k *Kitchen) knownAlarms(ctx context.Context, tx *store.Tx, site, place int64, from time.Time) ([]store.Alarm,
	time.Time, error) {
	for {
		known, err := tx.AlarmsOfPlace(ctx, store.AlarmsOfPlaceParams{SiteID: site, PlaceID: place, Since: &from})
		if err != nil {
			return nil, from, err
		}
		before := from
		for _, a := range known {
			if begin := a.Since.Add(-watchBefore); begin.Before(from) {
				from = begin
			}
		}
		if from.Equal(before) {
			return known, from, nil
		}
	}
}

// settleAlarms makes the stored alarms of a probe those that were found: what
// is one already goes on, what nothing supports any more goes, unless somebody
// acted on it.
func (k *Kitchen) settleAlarms(ctx context.Context, tx *store.Tx, site int64, place lot.Place, probeID int64,
	use store.PlacesInUseRow, known []store.Alarm, found []alarm.Episode) (changed bool, err error) {
	kept := map[uuid.UUID]bool{}
	for _, e := range found {
		row := store.Alarm{SiteID: site, ID: NewID(), PlaceID: place.ID, ProbeID: probeID, Kind: string(e.Kind),
			Since: e.Since, RaisedAt: e.Raised,
			WorstC: e.Worst, LimitC: e.Limit, Openings: int64(e.Openings), Stops: stops(e.Kind, use)}
		if !e.Lasts() {
			row.EndedAt = &e.Ended
		}
		if math.IsNaN(row.LimitC) {
			row.LimitC = 0
		}
		i := slices.IndexFunc(known, func(a store.Alarm) bool {
			return !kept[a.ID] && a.ProbeID == probeID && a.Kind == row.Kind &&
				(a.EndedAt == nil || !a.EndedAt.Before(e.Since)) && (e.Lasts() || !a.Since.After(e.Ended))
		})
		if i < 0 {
			changed = true
			if err := tx.AddAlarm(ctx, store.AddAlarmParams(row)); err != nil {
				return changed, fmt.Errorf("raising an alarm: %w", err)
			}
			continue
		}
		old := known[i]
		kept[old.ID] = true
		if old.Since.Equal(row.Since) && sameTime(old.EndedAt, row.EndedAt) && old.WorstC == row.WorstC &&
			old.Openings == row.Openings && (old.Stops || !row.Stops) {
			continue
		}
		changed = true
		if err := tx.UpdateAlarm(ctx, store.UpdateAlarmParams{SiteID: site, ID: old.ID, Since: row.Since,
			RaisedAt: row.RaisedAt, EndedAt: row.EndedAt, WorstC: row.WorstC, Openings: row.Openings,
			Stops: row.Stops}); err != nil {
			return changed, err
		}
	}
	for _, a := range known {
		if a.ProbeID != probeID || kept[a.ID] {
			continue
		}
		n, err := tx.DropAlarm(ctx, store.DropAlarmParams{SiteID: site, ID: a.ID})
		if err != nil {
			return changed, err
		}
		changed = changed || n > 0
	}
	return changed, nil
}

func sameTime(a, b *time.Time) bool {
	return a == nil && b == nil || a != nil && b != nil && a.Equal(*b)
}

// stops reports whether an alarm is a safety stop: fish lies beyond a limit of
// the profile, or a safety clock runs without a record.
func stops(kind alarm.Kind, use store.PlacesInUseRow) bool {
	return kind == alarm.Warm && use.Lots > 0 || kind == alarm.Silent && contents(use).Clocked()
}

// useOf is the use of a place; that of an empty one where nothing lies in it.
func useOf(inUse []store.PlacesInUseRow, place int64) store.PlacesInUseRow {
	for _, u := range inUse {
		if u.PlaceID == place {
			return u
		}
	}
	return store.PlacesInUseRow{PlaceID: place}
}

func contents(use store.PlacesInUseRow) lot.Contents {
	return lot.Contents{Formers: use.Formers, Packed: use.Packed}
}

// markSilent marks the places stale whose probes have reported nothing for too long.
func (k *Kitchen) markSilent(ctx context.Context) error {
	now := k.Now()
	return k.DB.MarkSilentPlaces(ctx, store.MarkSilentPlacesParams{SilentBefore: now.Add(-alarm.LeastSilence),
		Gaps: alarm.SilentGaps, Now: now})
}

// AlarmEntry is an alarm as people see it.
type AlarmEntry struct {
	store.Alarm
	Place   string
	Probe   string
	Actions []AlarmAction // the newest first
}

// AlarmAction is what somebody did about an alarm.
type AlarmAction struct {
	At     time.Time
	Person string
	Action string
	Note   string
}

// What is its kind.
func (e AlarmEntry) What() alarm.Kind { return alarm.Kind(e.Kind) }

// Lasts reports whether it goes on.
func (e AlarmEntry) Lasts() bool { return e.EndedAt == nil }

// Until is when it ended, or now.
func (e AlarmEntry) Until(now time.Time) time.Time {
	if e.EndedAt != nil {
		return *e.EndedAt
	}
	return now
}

// alarmWaits is how long an alarm that is over waits for an action.
const alarmWaits = 48 * time.Hour

// OpenAlarms lists the alarms that nobody has acted on: those that last, and
// those of the last days; safety stops first.
func (k *Kitchen) OpenAlarms(ctx context.Context) ([]AlarmEntry, error) {
	rows, err := k.DB.OpenAlarms(ctx, store.OpenAlarmsParams{SiteID: ActorFrom(ctx).Site.ID,
		Since: k.Now().Add(-alarmWaits)})
	if err != nil {
		return nil, fmt.Errorf("loading alarms: %w", err)
	}
	return k.alarmEntries(ctx, rows)
}

// Alarms lists the alarms since a time with what was done about them, the
// newest first.
func (k *Kitchen) Alarms(ctx context.Context, since time.Time) ([]AlarmEntry, error) {
	rows, err := k.DB.Alarms(ctx, store.AlarmsParams{SiteID: ActorFrom(ctx).Site.ID, Since: since})
	if err != nil {
		return nil, fmt.Errorf("loading alarms: %w", err)
	}
	return k.alarmEntries(ctx, rows)
}

// AlarmsBetween lists all alarms that lasted in a span with what was done about them, the newest first.
func (k *Kitchen) AlarmsBetween(ctx context.Context, span coldchain.Span) ([]AlarmEntry, error) {
	rows, err := k.DB.AlarmsBetween(ctx, store.AlarmsBetweenParams{SiteID: ActorFrom(ctx).Site.ID, FromAt: &span.From, ToAt: span.To})
	if err != nil {
		return nil, fmt.Errorf("loading alarms: %w", err)
	}
	return k.alarmEntries(ctx, rows)
}

// Alarm returns one.
func (k *Kitchen) Alarm(ctx context.Context, id uuid.UUID) (AlarmEntry, error) {
	row, err := k.DB.Alarm(ctx, store.AlarmParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	if err != nil {
		return AlarmEntry{}, err
	}
	list, err := k.alarmEntries(ctx, []store.Alarm{row})
	if err != nil {
		return AlarmEntry{}, err
	}
	return list[0], nil
}

func (k *Kitchen) alarmEntries(ctx context.Context, rows []store.Alarm) ([]AlarmEntry, error) {
	if len(rows) == 0 {
		return nil, nil
	}
	site := ActorFrom(ctx).Site.ID
	places, err := k.DB.Places(ctx, site)
	if err != nil {
		return nil, err
	}
	probes, err := k.DB.Probes(ctx, site)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	actions, err := k.DB.ActionsOfAlarms(ctx, store.ActionsOfAlarmsParams{SiteID: site, Alarms: ids})
	if err != nil {
		return nil, err
	}
	list := make([]AlarmEntry, len(rows))
	for i, r := range rows {
		e := AlarmEntry{Alarm: r}
		for _, p := range places {
			if p.ID == r.PlaceID {
				e.Place = p.Name
			}
		}
		for _, p := range probes {
			if p.ID == r.ProbeID {
				e.Probe = p.Name
			}
		}
		for _, x := range actions {
			if x.AlarmID == r.ID {
				e.Actions = append(e.Actions, AlarmAction{x.At, x.Person, x.Action, x.Note})
			}
		}
		list[i] = e
	}
	return list, nil
}

// NewAction is what was done about an alarm.
type NewAction struct {
	ID      uuid.UUID // from the client: the same action twice is one
	AlarmID uuid.UUID
	Action  string // one of those offered for its kind
	Note    string
}

// ActOnAlarm records a corrective action, which acknowledges the alarm. Errors
// are on the fields action and note.
func (k *Kitchen) ActOnAlarm(ctx context.Context, n NewAction) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := k.actOn(ctx, tx, a, n); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

func (k *Kitchen) actOn(ctx context.Context, tx *store.Tx, a Actor, n NewAction) error {
	row, err := tx.Alarm(ctx, store.AlarmParams{SiteID: a.Site.ID, ID: n.AlarmID})
	if err != nil {
		return err
	}
	var bad invalid.Errors
	if !slices.Contains(alarm.Kind(row.Kind).Actions(), n.Action) {
		bad.Add("action", "choose what was done")
	}
	if n.Note = strings.TrimSpace(n.Note); n.Action == "Other" && n.Note == "" {
		bad.Add("note", "say what was done")
	} else if invalid.TooLong(n.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return tx.AddAlarmAction(ctx, store.AddAlarmActionParams{SiteID: a.Site.ID, ID: n.ID, AlarmID: n.AlarmID,
		At: k.Now(), PersonID: a.Person.ID, Action: n.Action, Note: n.Note})
}

// Quiet reports whether it is the kitchen's quiet hours now: only safety stops
// sound.
func (k *Kitchen) Quiet(a Actor) bool {
	return alarm.Quiet(a.Site.QuietFrom, a.Site.QuietTo, k.Now().In(a.Zone()).Format("15:04"))
}

// AlarmSettings is the kitchen's own of its alarms and probes.
type AlarmSettings struct {
	QuietFrom, QuietTo string // "22:00"
	AltitudeM          float64
	CheckDays          int // between checks of a probe
}

// SetAlarmSettings changes it. Errors are on the fields quiet_from, quiet_to,
// altitude and check_days.
func (k *Kitchen) SetAlarmSettings(ctx context.Context, w AlarmSettings) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	var bad invalid.Errors
	for field, clock := range map[string]string{"quiet_from": w.QuietFrom, "quiet_to": w.QuietTo} {
		if t, err := time.Parse("15:04", clock); err != nil || t.Format("15:04") != clock {
			bad.Add(field, "write an hour like 22:00")
		}
	}
	if !(w.AltitudeM >= -450 && w.AltitudeM <= 5000) {
		bad.Add("altitude", "must be between -450 and 5000 m")
	}
	if w.CheckDays < 1 || w.CheckDays > 400 {
		bad.Add("check_days", "must be between 1 and 400 days")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.SetQuiet(ctx, store.SetQuietParams{ID: a.Site.ID, QuietFrom: w.QuietFrom, QuietTo: w.QuietTo,
			AltitudeM: w.AltitudeM, CheckDays: int64(w.CheckDays)}); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
