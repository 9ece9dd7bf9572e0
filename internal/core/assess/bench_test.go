package assess

import (
	"math"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

// A lot that lay in measured air for thirty days, by the minute, rolled up: what
// each event and each reading costs, and what it costs to look ahead.
func BenchmarkAssess30DaysInMeasuredAir(b *testing.B) {
	s, e := thirtyDays(b)
	b.Run("assess", func(b *testing.B) {
		for b.Loop() {
			if a := assessNow(s, e); a.Hours[coldchain.Logged] < 700 {
				b.Fatal(a.Hours)
			}
		}
	})
	b.Run("outlook", func(b *testing.B) {
		a := assessNow(s, e)
		b.Log(a.Outlook())
		for b.Loop() {
			a.Outlook()
		}
	})
}

func thirtyDays(b *testing.B) (*lot.State, Env) {
	h := cod()
	h.Add(0.25, lot.Moved{PlaceID: 20})
	h.Add(30*24, inspected(2, 0.4, freshness.Accept))
	s, err := lot.Fold(species.Builtin(), h.Events)
	if err != nil {
		b.Fatal(err)
	}
	rolled := &coldchain.Rolled{MaxGap: 2 * time.Minute, Hold: 2 * time.Minute,
		Raw: map[time.Time][]coldchain.Reading{}}
	roller := coldchain.Roller{MaxGap: rolled.MaxGap, Emit: func(h coldchain.Hour) {
		rolled.Hours = append(rolled.Hours, h)
	}}
	var readings []coldchain.Reading
	for m := range 30*24*60 + 60 {
		readings = append(readings, coldchain.Reading{At: at(float64(m) / 60), Celsius: 1 + math.Sin(float64(m)/50)})
	}
	for _, r := range readings {
		roller.Push(r)
	}
	roller.Close()
	e := env(at(30*24+0.5), map[int64]coldchain.Record{7: rolled})
	walkIn := e.Places[20]
	walkIn.Air = true
	e.Places[20] = walkIn
	for _, ask := range ProbeSpans(s, e.Places, e.Now) {
		for _, start := range rolled.NeedsReadings(ask.Span) {
			if rolled.Raw[start] == nil {
				for _, r := range readings {
					if r.At.Truncate(time.Hour).Equal(start) {
						rolled.Raw[start] = append(rolled.Raw[start], r)
					}
				}
			}
		}
	}
	return s, e
}
