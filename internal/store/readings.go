package store

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"math"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"leancatch/internal/core/coldchain"
)

// Batch is readings of one probe on their way into the database. All must run
// through the same readings each time, all at or between First and Last, and
// end with the error that stopped them, if any.
type Batch struct {
	First, Last time.Time
	Ascending   bool // strictly: no instant twice
	Count       int
	All         iter.Seq2[coldchain.Reading, error]
}

// BatchOf makes a Batch of readings in memory.
func BatchOf(readings []coldchain.Reading) Batch {
	b := Batch{Ascending: true, Count: len(readings), All: func(yield func(coldchain.Reading, error) bool) {
		for _, r := range readings {
			if !yield(r, nil) {
				return
			}
		}
	}}
	for i, r := range readings {
		if i == 0 || r.At.Before(b.First) {
			b.First = r.At
		}
		if i == 0 || r.At.After(b.Last) {
			b.Last = r.At
		}
		if i > 0 && !r.At.After(readings[i-1].At) {
			b.Ascending = false
		}
	}
	return b
}

// ErrDropped says that readings are older than those that are kept: their hours
// could not be rolled up any more.
var ErrDropped = errors.New("older than the readings that are kept")

// PutReadings stores a batch, each instant once, and rolls the hours up that it
// touches. It returns how many readings were new. The probe is locked meanwhile.
// What draws on them is marked by Announce, once for all probes of a
// transaction. It returns ErrDropped, and stores nothing, where the batch begins
// before what is kept.
func (tx *Tx) PutReadings(ctx context.Context, probe Probe, b Batch) (stored int64, err error) {
	lock, err := tx.LockProbe(ctx, LockProbeParams{probe.SiteID, probe.ID})
	if err != nil {
		return 0, fmt.Errorf("locking probe %d: %w", probe.ID, err)
	}
	if b.First.Before(lock.KeptFrom) {
		return 0, fmt.Errorf("%s: %w", b.First.UTC().Format("2006-01-02"), ErrDropped)
	}
	for month := b.First.UTC(); !month.After(b.Last.UTC()); month = firstOfNextMonth(month) {
		if err := tx.EnsureReadingMonth(ctx, month); err != nil {
			return 0, fmt.Errorf("making the partition of %s: %w", month.Format("2006-01"), err)
		}
	}
	if b.Count >= manyReadings { // a file of years takes longer than what serves may
		if _, err := tx.Exec(ctx, "set local statement_timeout = 0"); err != nil {
			return 0, err
		}
	}
	fresh := b.Ascending && b.Count >= manyReadings
	if fresh && lock.LastAt != nil && !b.First.After(*lock.LastAt) {
		var there bool
		if there, err = tx.AnyReadingBetween(ctx, AnyReadingBetweenParams{probe.SiteID, probe.ID, b.First, b.Last}); err != nil {
			return 0, err
		}
		fresh = !there
	}
	if fresh {
		stored, err = tx.copyReadings(ctx, probe, b)
	} else {
		stored, err = tx.insertReadings(ctx, probe, b)
	}
	if err != nil {
		return 0, fmt.Errorf("storing readings: %w", err)
	}
	if stored == 0 {
		return 0, nil
	}
	return stored, tx.Touched(ctx, probe, b.First, b.Last)
}

// Touched does what follows from a change of the probe's readings between first
// and last: it rolls their hours up again.
func (tx *Tx) Touched(ctx context.Context, probe Probe, first, last time.Time) error {
	hours, from, to, err := tx.rollUp(ctx, probe, first, last)
	if err != nil {
		return err
	}
	var batch pgx.Batch
	batch.Queue(deleteHours, probe.SiteID, probe.ID, from, to)
	if len(hours) <= mostQueued {
		for _, h := range hours {
			batch.Queue(putHour, hourRow(probe.SiteID, probe.ID, h)...)
		}
		hours = nil
	}
	batch.Queue(rereadProbeLast, probe.SiteID, probe.ID)
	if err := tx.SendBatch(ctx, &batch).Close(); err != nil {
		return fmt.Errorf("noting readings: %w", err)
	}
	return tx.copyHours(ctx, probe, hours)
}

// copyHours stores many hours by way of a table of the transaction's own, since COPY knows no row-level
// security.
func (tx *Tx) copyHours(ctx context.Context, probe Probe, hours []coldchain.Hour) error {
	if len(hours) == 0 {
		return nil
	}
	if _, err := tx.Exec(ctx, "create temp table if not exists incoming_hour (like reading_hour) on commit drop"); err != nil {
		return fmt.Errorf("noting hours: %w", err)
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"incoming_hour"}, hourColumns, pgx.CopyFromSlice(len(hours), func(i int) ([]any, error) {
		return hourRow(probe.SiteID, probe.ID, hours[i]), nil
	})); err != nil {
		return fmt.Errorf("noting hours: %w", err)
	}
	_, err := tx.Exec(ctx, "with taken as (delete from incoming_hour returning *) insert into reading_hour select * from taken")
	if err != nil {
		return fmt.Errorf("noting hours: %w", err)
	}
	return nil
}

// hourColumns are the columns of reading_hour in the order of hourRow.
var hourColumns = []string{"site_id", "probe_id", "hour", "readings", "first_at", "first_c", "last_at", "last_c",
	"covered_s", "temperate", "warm", "mixed", "degree_day", "min_c", "max_c", "above_s"}

// rollUpStale rolls the hours of those probes up again whose roll-up a migration left to this, each
// in a transaction of its own, so that it goes on where it was interrupted.
func (db *DB) rollUpStale(ctx context.Context) error {
	ctx = Everywhere(ctx)
	probes, err := db.ProbesWithStaleHours(ctx)
	if err != nil {
		return err
	}
	for _, probe := range probes {
		if err := db.Write(ctx, func(tx *Tx) error {
			if _, err := tx.LockProbe(ctx, LockProbeParams{probe.SiteID, probe.ID}); err != nil {
				return err
			}
			spans, err := tx.ReadingSpan(ctx, ReadingSpanParams{probe.SiteID, probe.ID})
			if err != nil {
				return err
			}
			for _, span := range spans {
				for from := span.First; !from.After(span.Last); from = firstOfNextMonth(from.UTC()) {
					to := firstOfNextMonth(from.UTC())
					if to.After(span.Last) {
						to = span.Last
					}
					if err := tx.Touched(ctx, probe, from, to); err != nil {
						return err
					}
				}
			}
			return tx.HoursRolledUp(ctx, HoursRolledUpParams{SiteID: probe.SiteID, ProbeID: probe.ID})
		}); err != nil {
			return fmt.Errorf("probe %d: %w", probe.ID, err)
		}
	}
	return nil
}

// Touch is a time in which the readings of a probe have changed.
type Touch struct {
	ProbeID     int64
	First, Last time.Time
}

// What changed readings make stale, in one order for all, so that two
// transactions never wait for each other.
const (
	markLots = `insert into stale_lot (site_id, lot_id)
		select distinct s.site_id, s.lot_id from unnest($2::int[], $3::timestamptz[], $4::timestamptz[]) as t(probe_id, first, last)
		join lot_source s on s.site_id = $1 and s.probe_id = t.probe_id and s.from_at <= t.last and s.to_at >= t.first
		order by s.lot_id on conflict do nothing`
	markPlaces = `insert into stale_place (site_id, place_id, from_at)
		select s.site_id, s.place_id, min(t.first) from unnest($2::int[], $3::timestamptz[], $4::timestamptz[]) as t(probe_id, first, last)
		join probe_stay s on s.site_id = $1 and s.probe_id = t.probe_id and s.from_at <= t.last and s.to_at > t.first
		group by s.site_id, s.place_id order by s.place_id
		on conflict (site_id, place_id) do update set from_at = least(stale_place.from_at, excluded.from_at)`
)

// Announce marks stale the lots and places of a site that draw on readings which
// have changed, and notifies the other processes. It comes last in a transaction:
// it waits for others that announce, and they for it.
func (tx *Tx) Announce(ctx context.Context, site int64, touches ...Touch) error {
	if len(touches) == 0 {
		return nil
	}
	var probes []int64
	var first, last []time.Time
	for _, t := range touches {
		probes, first, last = append(probes, t.ProbeID), append(first, t.First), append(last, t.Last)
	}
	for _, sql := range []string{markLots, markPlaces} {
		if _, err := tx.Exec(ctx, sql, site, probes, first, last); err != nil {
			return fmt.Errorf("announcing readings: %w", err)
		}
	}
	return tx.notify(ctx, TopicReadings, site)
}

// mostQueued is up to how many hours are written one by one, in one go with what else there is to
// write; more are copied.
const mostQueued = 48

func firstOfNextMonth(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month()+1, 1, 0, 0, 0, 0, time.UTC)
}

// manyReadings are as many as are copied rather than inserted.
const manyReadings = 2000

// copyReadings stores many readings of which none is there, in the order of time, month by month: COPY
// knows no row-level security, which a month by itself has not either. The site is that of a probe
// that was read behind the fence.
func (tx *Tx) copyReadings(ctx context.Context, probe Probe, b Batch) (stored int64, err error) {
	if siteOf(ctx) != everywhere {
		if _, err := tx.Exec(ctx, "set local role "+openRole); err != nil {
			return 0, err
		}
	}
	next, stop := iter.Pull2(b.All)
	defer stop()
	r, err, more := next()
	row := []any{probe.SiteID, probe.ID, nil, nil}
	for more && err == nil {
		month := r.At.UTC()
		end := firstOfNextMonth(month)
		n, copyErr := tx.CopyFrom(ctx, pgx.Identifier{"reading_" + month.Format("2006_01")}, readingColumns, pgx.CopyFromFunc(func() ([]any, error) {
			if !more || err != nil || !r.At.Before(end) {
				return nil, err
			}
			row[2], row[3] = r.At, r.Celsius
			r, err, more = next()
			return row, nil
		}))
		if stored += n; copyErr != nil {
			return stored, copyErr
		}
	}
	if err == nil && siteOf(ctx) != everywhere {
		_, err = tx.Exec(ctx, "set local role "+fencedRole)
	}
	return stored, err
}

// readingColumns are the columns of reading in the order of copyReadings.
var readingColumns = []string{"site_id", "probe_id", "at", "celsius"}

// insertChunk is how many readings are inserted by one statement.
const insertChunk = 10_000

// insertReadings stores readings that may repeat themselves or what is there, and returns how many
// were new.
func (tx *Tx) insertReadings(ctx context.Context, probe Probe, b Batch) (stored int64, err error) {
	at, celsius := make([]time.Time, 0, insertChunk), make([]float32, 0, insertChunk)
	insert := func() error {
		tag, err := tx.Exec(ctx, `insert into reading (site_id, probe_id, at, celsius)
			select $1, $2, t.at, t.celsius from unnest($3::timestamptz[], $4::real[]) as t(at, celsius) on conflict do nothing`,
			probe.SiteID, probe.ID, at, celsius)
		stored += tag.RowsAffected()
		at, celsius = at[:0], celsius[:0]
		return err
	}
	for r, err := range b.All {
		if err != nil {
			return stored, err
		}
		if at, celsius = append(at, r.At), append(celsius, float32(r.Celsius)); len(at) == insertChunk {
			if err := insert(); err != nil {
				return stored, err
			}
		}
	}
	if len(at) == 0 {
		return stored, nil
	}
	return stored, insert()
}

// rollUp recomputes the hours of the probe, from … to, that readings between
// first and last can have touched: theirs, and those of the neighbours to which
// they may be joined by a line.
func (tx *Tx) rollUp(ctx context.Context, probe Probe, first, last time.Time) (hours []coldchain.Hour, from,
	to time.Time, err error) {
	maxGap := probe.MaxGap()
	from, to = first.Add(-maxGap).UTC().Truncate(time.Hour), last.Add(maxGap).UTC().Truncate(time.Hour)
	roller := coldchain.Roller{MaxGap: maxGap, Emit: func(h coldchain.Hour) {
		if !h.Start.Before(from) && !h.Start.After(to) {
			hours = append(hours, h)
		}
	}}
	rows, err := tx.Query(ctx, readingsBetween, probe.SiteID, probe.ID, from.Add(-maxGap),
		to.Add(time.Hour+maxGap+time.Microsecond))
	if err != nil {
		return nil, from, to, err
	}
	var r coldchain.Reading
	if _, err := pgx.ForEachRow(rows, []any{&r.At, &r.Celsius}, func() error {
		roller.Push(r)
		return nil
	}); err != nil {
		return nil, from, to, fmt.Errorf("rolling up: %w", err)
	}
	roller.Close()
	return hours, from, to, nil
}

func hourRow(site, probe int64, h coldchain.Hour) []any {
	if h.Readings == 0 {
		h.First.At, h.Last.At = h.Start, h.Start
	}
	above := make([]float64, len(h.Exposure.Above))
	for i, d := range h.Exposure.Above {
		above[i] = d.Seconds()
	}
	e := h.Exposure
	return []any{site, probe, h.Start, h.Readings, h.First.At, h.First.Celsius, h.Last.At, h.Last.Celsius,
		e.Covered.Seconds(), e.Temperate, e.Warm, e.Mixed, e.DegreeDay, e.Min, e.Max, above}
}

// rolled returns the hours as the core knows them, in order.
func (h HoursAroundRow) rolled() []coldchain.Hour {
	out := make([]coldchain.Hour, len(h.Hour))
	limits := 0 // counted for each hour
	if len(h.Hour) > 0 {
		limits = len(h.AboveS) / len(h.Hour)
	}
	for i := range out {
		out[i] = coldchain.Hour{
			Start: h.Hour[i].UTC(), Readings: int(h.Readings[i]),
			First: coldchain.Reading{At: h.FirstAt[i], Celsius: h.FirstC[i]},
			Last:  coldchain.Reading{At: h.LastAt[i], Celsius: h.LastC[i]},
			Exposure: coldchain.Exposure{Covered: seconds(h.CoveredS[i]), Temperate: h.Temperate[i], Warm: h.Warm[i],
				Mixed: h.Mixed[i], DegreeDay: h.DegreeDay[i], Min: h.MinC[i], Max: h.MaxC[i]},
		}
		for j := range min(limits, len(out[i].Exposure.Above)) {
			out[i].Exposure.Above[j] = seconds(h.AboveS[i*limits+j])
		}
	}
	slices.SortFunc(out, func(a, b coldchain.Hour) int { return a.Start.Compare(b.Start) })
	return out
}

func seconds(s float64) time.Duration { return time.Duration(math.Round(s * 1e9)) }

// MaxGap is the longest distance between two readings of the probe over which
// a line is drawn.
func (p Probe) MaxGap() time.Duration {
	return coldchain.GapFactor * time.Duration(p.IntervalS) * time.Second
}

// Rolled loads what answers for the spans of the probe's history: the roll-ups,
// and the readings of those hours of which only a part is asked for or known.
// The probe must have been read by the same q: its hours are kept for whoever
// asks next, until its readings change.
func (db *DB) Rolled(ctx context.Context, q *Queries, probe Probe, spans []coldchain.Span) (*coldchain.Rolled, error) {
	out := &coldchain.Rolled{MaxGap: probe.MaxGap(), Hold: probe.MaxGap(), Raw: map[time.Time][]coldchain.Reading{}}
	if len(spans) == 0 {
		return out, nil
	}
	from, to := spans[0].From, spans[0].To
	for _, s := range spans {
		if s.From.Before(from) {
			from = s.From
		}
		if s.To.After(to) {
			to = s.To
		}
	}
	var err error
	if out.Hours, err = db.hours.around(ctx, q, probe,
		coldchain.Span{From: from.UTC().Truncate(time.Hour), To: to}); err != nil {
		return nil, err
	}
	wanted := map[time.Time]bool{}
	var starts []time.Time
	for _, s := range spans {
		for _, start := range out.NeedsReadings(s) {
			if !wanted[start] {
				wanted[start] = true
				starts = append(starts, start)
			}
		}
	}
	if len(starts) == 0 {
		return out, nil
	}
	// Planned for its hours each time: a plan for all times locks every month there is.
	rows, err := q.db.Query(ctx, readingsInHours, pgx.QueryExecModeCacheDescribe, probe.SiteID, probe.ID, starts,
		slices.MinFunc(starts, time.Time.Compare), slices.MaxFunc(starts, time.Time.Compare).Add(time.Hour))
	if err != nil {
		return nil, err
	}
	var r coldchain.Reading
	_, err = pgx.ForEachRow(rows, []any{&r.At, &r.Celsius}, func() error {
		start := r.At.UTC().Truncate(time.Hour)
		out.Raw[start] = append(out.Raw[start], r)
		return nil
	})
	return out, err
}
