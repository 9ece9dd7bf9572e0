package assess

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
)

// rolledFor rolls a series up and keeps readings only for the hours that the
// asks need, as they are loaded from a database.
func rolledFor(s coldchain.Series, probe int64, asks []ProbeSpan) *coldchain.Rolled {
	r := &coldchain.Rolled{MaxGap: s.MaxGap, Hold: s.Hold, Raw: map[time.Time][]coldchain.Reading{}}
	roller := coldchain.Roller{MaxGap: s.MaxGap, Emit: func(h coldchain.Hour) { r.Hours = append(r.Hours, h) }}
	for _, x := range s.Readings {
		roller.Push(x)
	}
	roller.Close()
	for _, ask := range asks {
		if ask.ProbeID != probe {
			continue
		}
		for _, start := range r.NeedsReadings(ask.Span) {
			if r.Raw[start] != nil {
				continue
			}
			for _, x := range s.Readings {
				if x.At.Truncate(time.Hour).Equal(start) {
					r.Raw[start] = append(r.Raw[start], x)
				}
			}
		}
	}
	return r
}

// What Asks lists is all that Assess needs: assessed from roll-ups with only those
// readings, random lots come out as they do from all readings.
func TestAsksListsAllThatTellNeeds(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 8))
	for trial := range 150 {
		h := cod()
		hours := 0.2
		for range 1 + rnd.IntN(6) {
			hours += 6 * rnd.Float64()
			switch rnd.IntN(4) {
			case 0:
				h.Add(hours, lot.Temperature{Celsius: 1 + 4*rnd.Float64()})
			case 1:
				h.Add(hours, inspected(8*rnd.Float64(), 1, freshness.Accept))
			case 2:
				h.Add(hours, lot.Logger{ProbeID: 9, From: at(-40 * rnd.Float64()), To: at(0)})
			default:
				h.Add(hours, lot.Moved{PlaceID: []int64{10, 20}[rnd.IntN(2)]})
			}
		}
		now := at(hours + 30*rnd.Float64())
		s := h.Fold(t)
		series := map[int64]coldchain.Series{}
		for _, probe := range []int64{7, 9} {
			interval := []time.Duration{time.Minute, 10 * time.Minute, 90 * time.Minute}[rnd.IntN(3)]
			x := coldchain.Series{MaxGap: 2 * interval, Hold: 2 * interval}
			for at, end := at(-60), now.Add(3*time.Hour); at.Before(end); {
				x.Readings = append(x.Readings, coldchain.Reading{At: at, Celsius: 1 + 2*rnd.NormFloat64()})
				step := time.Duration((0.5 + rnd.Float64()) * float64(interval))
				if rnd.IntN(20) == 0 {
					step *= 10
				}
				at = at.Add(step)
			}
			series[probe] = x
		}
		e := env(now, nil)
		asks := ProbeSpans(s, e.Places, now)
		e.Probe = func(id int64) coldchain.Record { return series[id] }
		want := assessNow(s, e)
		e.Probe = func(id int64) coldchain.Record { return rolledFor(series[id], id, asks) }
		got := assessNow(s, e)
		near(t, "fresh days spent", got.Used.Days, want.Used.Days, 1e-9)
		near(t, "its sd", got.Used.SD, want.Used.SD, 1e-9)
		near(t, "temperature now", got.NowC, want.NowC, 1e-6)
		for _, kind := range []coldchain.Kind{coldchain.Logged, coldchain.Spot, coldchain.InIce, coldchain.Assumed} {
			near(t, string(kind)+" hours", got.Hours[kind], want.Hours[kind], 1e-9)
		}
		if math.Abs(want.Hours[coldchain.Logged]+want.Hours[coldchain.Spot]+want.Hours[coldchain.InIce]+want.Hours[coldchain.Assumed]-want.At.Sub(
			want.From).Hours()) > 1e-9 {
			t.Errorf("the kinds of knowledge do not add up to the whole line: %v", want.Hours)
		}
		if t.Failed() {
			t.Fatalf("trial %d: %+v", trial, s.Stays)
		}
	}
}
