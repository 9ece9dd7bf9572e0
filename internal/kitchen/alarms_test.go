package kitchen_test

import (
	"errors"
	"math"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/alarm"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/probe"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
)

// send gives a probe a reading a minute, as a function of the minute.
func (b *bench) send(name string, from time.Time, minutes int, c func(m int) float64) kitchen.Intake {
	b.t.Helper()
	var list []intake.Measurement
	for m := range minutes {
		list = append(list, intake.Measurement{Name: name, Unit: "Cel", At: from.Add(time.Duration(m) * time.Minute),
			Value: c(m)})
	}
	got, err := b.PutMeasurements(b.ctx, list)
	b.must(err)
	return got
}

func (b *bench) alarms() []kitchen.AlarmEntry {
	b.t.Helper()
	b.must(b.WatchStale(b.ctx))
	list, err := b.Alarms(b.ctx, b.now.Add(-7*24*time.Hour))
	b.must(err)
	return list
}

func at1(int) float64 { return 1 }

// Whatever order the readings of a night arrive in, the alarm is the same; what
// was acted on stays though the readings turn out to be another's.
func TestAnAlarmComesOfTheReadingsAndStaysOnRecord(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	b.probe("walk-in-1", b.walkIn)
	start := b.now
	b.now = b.now.Add(6 * time.Hour)
	warm := func(m int) float64 {
		if m >= 60 && m < 180 {
			return 7
		}
		return 1
	}
	b.send("walk-in-1", start, 100, warm) // its end has not come in yet
	b.now = start.Add(100 * time.Minute)
	list := b.alarms()
	if len(list) != 1 || list[0].Kind != "warm" || !list[0].Lasts() || !list[0].Stops || list[0].WorstC != 7 {
		t.Fatalf("%+v", list)
	}
	id := list[0].ID
	b.now = start.Add(6 * time.Hour)
	// and a gap before it
	b.send("walk-in-1", start.Add(200*time.Minute), 160, func(m int) float64 { return warm(m + 200) })
	// that comes late
	b.send("walk-in-1", start.Add(100*time.Minute), 100, func(m int) float64 { return warm(m + 100) })
	list = b.alarms()
	if len(list) != 1 || list[0].ID != id || list[0].Lasts() ||
		list[0].EndedAt.Sub(start.Add(3*time.Hour)).Abs() > time.Minute {
		t.Fatalf("%+v", list)
	}
	var bad invalid.Errors
	if err := b.ActOnAlarm(b.ctx, kitchen.NewAction{ID: kitchen.NewID(), AlarmID: id, Action: "Shouted"}); !errors.As(
		err, &bad) {
		t.Errorf("an action that is not offered: %v", err)
	}
	b.must(b.ActOnAlarm(b.ctx, kitchen.NewAction{ID: kitchen.NewID(), AlarmID: id, Action: "Service called",
		Note: "fan"}))
	if open, _ := b.OpenAlarms(b.ctx); len(open) != 0 {
		t.Errorf("still open: %+v", open)
	}
	other, err := b.AddProbe(b.ctx, kitchen.NewProbe{Name: "elsewhere", Kind: kitchen.Fixed, PlaceID: b.dock})
	b.must(err)
	probes, err := b.Probes(b.ctx)
	b.must(err)
	b.must(b.ReassignReadings(b.ctx, probes[0].ID, other.ID, coldchain.Span{From: start, To: b.now}))
	if list = b.alarms(); !slices.ContainsFunc(list, func(a kitchen.AlarmEntry) bool {
		return a.ID == id && len(a.Actions) == 1
	}) {
		t.Errorf("what was acted on is gone: %+v", list)
	}
}

// A probe that was somewhere else all the time: its readings count there, the
// lots are calculated anew, and an alarm that nobody acted on goes.
func TestAProbeThatWasElsewhere(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	p := b.probe("walk-in-1", b.walkIn)
	start := b.now
	b.now = b.now.Add(12 * time.Hour)
	b.send("walk-in-1", start, 12*60, func(int) float64 { return 9 })
	b.must(b.RefreshStale(b.ctx))
	if list := b.alarms(); len(list) != 1 {
		t.Fatalf("%+v", list)
	}
	before, err := b.Row(b.ctx, row.LotID)
	b.must(err)
	b.must(b.MoveProbe(b.ctx, p.ID, b.dock, start.Add(-time.Hour)))
	after, err := b.Row(b.ctx, row.LotID)
	b.must(err)
	// 9 °C; then the ice in which it came answers for it
	if want := before.UsedDays - 0.5*(1.9*1.9-1); math.Abs(after.UsedDays-want) > 0.1 {
		t.Errorf("%.3f fresh days spent, before %.3f, want %.3f", after.UsedDays, before.UsedDays, want)
	}
	page, err := b.ProbePage(b.ctx, p.ID)
	b.must(err)
	if len(page.Stays) != 2 || page.Stays[0].PlaceID != b.dock || len(page.Notes) != 1 ||
		!strings.Contains(page.Notes[0].Text, "measures Dock since") {
		t.Errorf("%+v, %+v", page.Stays, page.Notes)
	}
}

// Late readings touch the lots that lay there then, and no others.
func TestLateReadingsTouchOnlyWhatTheyMust(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod", "salmon", "haddock")
	b.probe("walk-in-1", b.walkIn)
	start := b.now
	b.must(b.Append(b.ctx, b.write(rows[0].LotID, lot.Moved{PlaceID: b.walkIn})))
	b.must(b.Append(b.ctx, b.write(rows[1].LotID, lot.Moved{PlaceID: b.walkIn})))
	b.now = b.now.Add(5 * time.Hour)
	b.must(b.Append(b.ctx, b.write(rows[1].LotID, lot.Moved{PlaceID: b.dock})))
	b.now = b.now.Add(5 * time.Hour)
	b.must(b.RefreshStale(b.ctx))
	b.send("walk-in-1", start.Add(6*time.Hour), 120, at1) // the salmon had gone, the haddock never came
	rest, err := b.DB.Pool.Query(b.ctx, "select lot_id from stale_lot")
	b.must(err)
	var stale []uuid.UUID
	for rest.Next() {
		var id uuid.UUID
		b.must(rest.Scan(&id))
		stale = append(stale, id)
	}
	if len(stale) != 1 || stale[0] != rows[0].LotID {
		t.Errorf("stale: %v, want the cod alone", stale)
	}
}

// Old months go, their hours stay and answer; what would be rolled up anew over
// them is refused.
func TestOldMonthsAreDroppedAndTheirHoursAnswer(t *testing.T) {
	b := newBench(t)
	b.probe("walk-in-1", b.walkIn)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	start := b.now
	b.now = b.now.Add(36 * time.Hour)
	b.send("walk-in-1", start, 36*60, func(m int) float64 { return 2 + math.Sin(float64(m)/40) })
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Discarded{Reason: "end of the test"})))
	span := coldchain.Span{From: start, To: start.Add(30*time.Hour + 20*time.Minute)}
	before, err := b.Exposure(b.ctx, row.LotID, span)
	b.must(err)
	b.now = b.now.AddDate(0, 5, 0)
	if n, err := b.RetainReadings(b.ctx, 2); err != nil || n < 1 {
		t.Fatalf("%d months dropped: %v", n, err)
	}
	var left int
	b.must(b.DB.Pool.QueryRow(b.ctx, "select count(*) from reading").Scan(&left))
	after, err := b.Exposure(b.ctx, row.LotID, span)
	b.must(err)
	if left != 0 || math.Abs(after.Total.Temperate/before.Total.Temperate-1) > 0.01 ||
		math.Abs(after.Total.Covered.Hours()-before.Total.Covered.Hours()) > 0.1 {
		t.Errorf("%d readings left; %.4f ice days over %s, before %.4f over %s", left, after.Total.Temperate,
			after.Total.Covered, before.Total.Temperate, before.Total.Covered)
	}
	got := b.send("walk-in-1", start.Add(time.Hour), 3, at1)
	if got.Stored != 0 || len(got.Refused) != 1 || !strings.Contains(got.Refused[0].Reason,
		"older than the readings that are kept") {
		t.Errorf("late readings of a dropped month: %+v", got)
	}
}

// An offset counts from its check on, in each reading by its own time.
func TestAnOffsetCountsFromItsCheckOn(t *testing.T) {
	b := newBench(t)
	p := b.probe("walk-in-1", b.walkIn)
	start := b.now
	b.now = b.now.Add(time.Hour)
	b.must(b.CheckProbe(b.ctx, kitchen.NewCheck{ID: kitchen.NewID(), ProbeID: p.ID, Method: probe.Ice, ReadC: -0.5}))
	b.now = b.now.Add(time.Hour)
	b.send("walk-in-1", start, 121, at1) // late ones from before the check with the others
	rows, err := b.DB.Pool.Query(b.ctx, "select celsius, count(*) from reading group by celsius order by celsius")
	b.must(err)
	counts := map[float64]int{}
	for rows.Next() {
		var c float64
		var n int
		b.must(rows.Scan(&c, &n))
		counts[c] = n
	}
	if counts[1] != 60 || counts[1.5] != 61 {
		t.Errorf("%v, want 60 readings of 1 °C and 61 of 1.5", counts)
	}
	var bad invalid.Errors
	if err := b.CheckProbe(b.ctx, kitchen.NewCheck{ID: kitchen.NewID(), ProbeID: p.ID, Method: probe.Boiling,
		ReadC: 99, AltitudeM: 9000}); !errors.As(err, &bad) || bad.On("altitude") == "" {
		t.Errorf("higher than water is known to boil: %v", err)
	}
}

// Two probes in one place that disagree raise an alarm, whatever the limit, and the warmer one counts.
func TestTwoProbesOfAPlaceDisagree(t *testing.T) {
	b := newBench(t)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	for _, name := range []string{"walk-in-1", "walk-in-2"} {
		b.probe(name, b.walkIn)
	}
	start := b.now
	b.now = b.now.Add(4 * time.Hour)
	b.send("walk-in-2", start, 241, func(int) float64 { return -1.2 })
	b.send("walk-in-1", start, 241, func(m int) float64 {
		if m < 60 {
			return 0.7
		}
		return 1.5
	})
	list := b.alarms()
	if len(list) != 1 || list[0].What() != alarm.Disagree || !list[0].Lasts() || math.Abs(list[0].WorstC-2.7) > 1e-6 ||
		!list[0].Since.Equal(start.Add(time.Hour)) {
		t.Fatalf("%+v", list)
	}
	card, err := b.Card(b.ctx, row.LotID)
	b.must(err)
	if now := card.Assessment.NowC; math.Abs(now-1.5) > 0.05 {
		t.Errorf("%.2f °C now, want the warmer probe's", now)
	}
	b.now = b.now.Add(30 * time.Minute)
	b.send("walk-in-2", start.Add(241*time.Minute), 30, at1)
	b.send("walk-in-1", start.Add(241*time.Minute), 30, at1)
	if list = b.alarms(); len(list) != 1 || list[0].Lasts() {
		t.Errorf("once they agree: %+v", list)
	}
}

// A probe that fails its check is distrusted back to its last good one, and the lots are named of which
// it is the record; once it is mended it counts again, from then on.
func TestAFailedCheckDistrustsWhatWasRead(t *testing.T) {
	b := newBench(t)
	p := b.probe("walk-in-1", b.walkIn)
	row := b.receive("cod")[0]
	b.must(b.Append(b.ctx, b.write(row.LotID, lot.Moved{PlaceID: b.walkIn})))
	check := func(read float64) {
		b.must(b.CheckProbe(b.ctx, kitchen.NewCheck{ID: kitchen.NewID(), ProbeID: p.ID, Method: probe.Ice, ReadC: read}))
	}
	hours := func(n int) {
		start := b.now
		b.now = b.now.Add(time.Duration(n) * time.Hour)
		b.send("walk-in-1", start, n*60+1, at1)
		b.must(b.RefreshStale(b.ctx))
	}
	unknown := func() (hours float64) {
		card, err := b.Card(b.ctx, row.LotID)
		b.must(err)
		for _, s := range card.Assessment.Line {
			if part := s.Clip(coldchain.Span{From: row.ReceivedAt, To: b.now}); s.Grade == assess.GradeUnknown && part.Len() > 0 {
				hours += part.Len().Hours()
			}
		}
		return hours
	}
	check(0)
	hours(30)
	if got := unknown(); got > 0 {
		t.Fatalf("%.1f h unknown before the check", got)
	}
	check(-3)
	if got := unknown(); math.Abs(got-30) > 0.1 {
		t.Errorf("%.1f h unknown by the failed check, want the 30 since the good one", got)
	}
	page, err := b.ProbePage(b.ctx, p.ID)
	b.must(err)
	if len(page.Lots) != 1 || page.Lots[0].LotID != row.LotID {
		t.Errorf("concerned: %+v", page.Lots)
	}
	check(0.1)
	hours(30)
	if got := unknown(); math.Abs(got-30) > 0.1 {
		t.Errorf("%.1f h unknown once it is good again, want the same 30", got)
	}
}

// A place is filled up, and the what-if says so.
func TestAFullPlaceIsNoOption(t *testing.T) {
	b := newBench(t)
	rows := b.receive("cod", "salmon")
	page, err := b.Place(b.ctx, b.walkIn)
	b.must(err)
	capacity := rows[0].WeightKg * 1.5
	b.must(b.SetPlace(b.ctx, b.walkIn, kitchen.PlaceChange{NewPlace: kitchen.NewPlace{Name: page.Name, SetC: 1,
		CapacityKg: &capacity, Holds: lot.HoldsRaw, Contact: true}}))
	ask := func() []assess.Outcome {
		got, err := b.WhatIf(b.ctx, []uuid.UUID{rows[1].LotID}, b.now.Add(10*time.Hour))
		b.must(err)
		return got.Lots[0].Outcomes
	}
	walkIn := func(list []assess.Outcome) assess.Outcome {
		return list[slices.IndexFunc(list, func(o assess.Outcome) bool { return o.PlaceID == b.walkIn })]
	}
	if o := walkIn(ask()); o.Celsius != 3 || o.Fits { // 1 + 2 assumed, above 2
		t.Errorf("nothing measures it: %+v", o)
	}
	b.probe("walk-in-1", b.walkIn)
	b.send("walk-in-1", b.now.Add(-2*time.Hour), 120, at1)
	if o := walkIn(ask()); !o.Fits || math.Abs(o.Celsius-1) > 1e-6 {
		t.Errorf("empty: %+v", o)
	}
	b.must(b.MoveAll(b.ctx, b.walkIn, map[uuid.UUID]uuid.UUID{rows[0].LotID: kitchen.NewID()}))
	if o := walkIn(ask()); o.Fits || !strings.Contains(o.Against[0], "full") {
		t.Errorf("taken: %+v", o)
	}
	var bad invalid.Errors
	warm := 9.0
	if err := b.SetPlace(b.ctx, b.walkIn, kitchen.PlaceChange{NewPlace: kitchen.NewPlace{Name: page.Name, SetC: 1,
		Holds: lot.HoldsRaw}, WarmC: &warm}); !errors.As(err, &bad) || bad.On("warm") == "" {
		t.Errorf("a limit milder than the profile's: %v", err)
	}
	if err := b.MoveAll(b.ctx, 999, map[uuid.UUID]uuid.UUID{rows[1].LotID: kitchen.NewID()}); !errors.As(err, &bad) {
		t.Errorf("a place that is not there: %v", err)
	}
}

// Packs of several probes that arrive at once, while others look at the alarms
// they raise: none is refused, whoever waits for whom.
func TestPacksAtOnceWhileAlarmsAreRaised(t *testing.T) {
	b := newBench(t)
	for i, place := range []int64{b.walkIn, b.dock, b.walkIn, b.dock} {
		b.probe([]string{"a", "b", "c", "d"}[i], place)
	}
	start := b.now.Add(-40 * time.Hour)
	var wait sync.WaitGroup
	errs := make(chan error, 100)
	for _, names := range [][]string{{"a", "b"}, {"d", "a"}, {"b", "c"}, {"c", "d"}} {
		wait.Go(func() {
			for round := range 12 {
				var list []intake.Measurement
				for _, name := range names {
					for m := range 40 {
						list = append(list, intake.Measurement{Name: name, Unit: "Cel", Value: float64(10 * (m / 20)),
							At: start.Add(time.Duration(round*180+m) * time.Minute)})
					}
				}
				if _, err := b.PutMeasurements(b.ctx, list); err != nil {
					errs <- err
				}
			}
		})
	}
	for range 2 {
		wait.Go(func() {
			for range 40 {
				if err := b.WatchStale(b.ctx); err != nil {
					errs <- err
				}
			}
		})
	}
	wait.Wait()
	close(errs)
	for err := range errs {
		t.Error(err)
	}
	if list := b.alarms(); len(list) == 0 {
		t.Error("no alarm was raised")
	}
}
