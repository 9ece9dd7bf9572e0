package history_test

import (
	"context"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/history"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// kitchens is how many are simulated.
const kitchens = 200

// A kitchen that keeps its fish well but for one thing is told that thing: a warm van, a dock on which fish stands, one warm night of
// the walk-in, or
// fish that is sold old. The rest is random.
func TestTheCulpritOfASimulatedKitchenRanksFirst(t *testing.T) {
	t.Parallel()
	const van, dock, night, papers = "Van", "dock", "walk_in, warm", "Older than its papers"
	culprits := []string{van, dock, night, papers}
	wrong := 0
	for n := range kitchens {
		r := rand.New(rand.NewPCG(71, uint64(n)))
		culprit := culprits[n%len(culprits)]
		warmth := map[string]float64{}
		for range 5 + r.IntN(6) {
			l, warm, left := simulated(r, culprit == van, culprit == dock, culprit == night, culprit == papers)
			result, err := l.Judge(context.Background(), []time.Time{left})
			if err != nil {
				t.Fatal(err)
			}
			kg := l.Received.WeightKg
			for _, part := range assess.FreshLosses(result.At[0].State, l.Env, result.At[0].Assessment, warm) {
				warmth[part.Where] += kg * part.Warmth()
			}
		}
		worst := slices.MaxFunc(slices.Collect(maps.Keys(warmth)), func(a, b string) int { return int(1e6 * (warmth[a] - warmth[b])) })
		if !strings.HasPrefix(worst, culprit) {
			wrong++
			t.Logf("kitchen %d: %s, told %s: %v", n, culprit, worst, warmth)
		}
	}
	if wrong > kitchens/20 {
		t.Errorf("the culprit of %d kitchens of %d is not first", wrong, kitchens)
	}
}

// simulated is a lot of a kitchen with things that are wrong, the warm spells of its places, and when it left.
func simulated(r *rand.Rand, warmVan, slowDock, warmNight, old bool) (l history.Lot, warm map[int64][]coldchain.Span, left time.Time) {
	const dockID, coldID, vanProbe, coldProbe, dockProbe = 1, 2, 1, 2, 3
	between := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	steady := func(from, to, celsius float64, spell ...float64) coldchain.Series {
		var list []coldchain.Reading
		for h := from; h <= to; h += 0.25 {
			c := celsius + 0.3*r.Float64()
			if len(spell) == 3 && h >= spell[0] && h < spell[1] {
				c = spell[2]
			}
			list = append(list, coldchain.Reading{At: at(h), Celsius: c})
		}
		return coldchain.Series{Readings: list, MaxGap: coldchain.FinestGap}
	}
	sent, stands, until := -between(2, 4), between(0.02, 0.08), between(30, 70)
	vanC, core, spell := between(0.2, 1), between(0.3, 1), []float64(nil)
	if warmVan {
		vanC, core = between(8, 12), between(4, 4.8)
	}
	if slowDock {
		stands = between(2.5, 4)
	}
	if warmNight {
		begin := between(16, 22)
		spell = []float64{begin, begin + between(5, 8), between(9, 13)}
		warm = map[int64][]coldchain.Span{coldID: {{From: at(spell[0]), To: at(spell[1] + 1)}}}
	}
	records := map[int64]coldchain.Record{vanProbe: steady(-8, 1, vanC), coldProbe: steady(-2, 90, 0.2, spell...), dockProbe: steady(-2, 90,
		between(13, 17))}
	always := coldchain.Span{From: at(-1e4), To: at(1e4)}
	places := map[int64]lot.Place{
		dockID: {ID: dockID, Name: "dock", Kind: "dock", SetC: 15, Air: true, Holds: lot.HoldsNone, Probes: []lot.ProbeStay{{ProbeID: dockProbe,
			Span: always}}},
		coldID: {ID: coldID, Name: "walk_in", Kind: "walk_in", SetC: 0.5, Air: true, Holds: lot.HoldsRaw,
			Probes: []lot.ProbeStay{{ProbeID: coldProbe, Span: always}}}}
	profile, _ := safety.GetProfile("model-code")
	env := assess.Env{Now: at(until), Profile: profile, Catalogue: species.Builtin(), Places: places, TransportC: 0,
		Probe: func(id int64) coldchain.Record { return records[id] }, Dealers: map[int64]time.Time{1: at(1e6)}}
	caught, dispatched := at(-between(20, 60)), at(sent)
	l = history.Lot{Env: env, ReceivedAt: at(0), Received: lot.Received{SpeciesID: []string{"cod", "haddock", "hake"}[r.IntN(3)],
		Form: "gutted", Count: 4,
		WeightKg: between(4, 20), CoreC: &core, Ice: "none", SupplierID: 1, PlaceID: dockID, LabelDate: lot.LabelDate{At: &caught,
			Means: freshness.Caught},
		DispatchedAt: &dispatched, Origin: lot.Wild}}
	event := func(h float64, draft func(history.Moment) (lot.Payload, error)) {
		l.Events = append(l.Events, history.Event{At: at(h), RecordedAt: at(h), ByManager: true, Draft: draft})
	}
	just := func(p lot.Payload) func(history.Moment) (lot.Payload, error) {
		return func(history.Moment) (lot.Payload, error) { return p, nil }
	}
	event(0.01, just(lot.Logger{ProbeID: vanProbe, From: dispatched, To: at(0)}))
	event(stands, just(lot.Moved{PlaceID: coldID}))
	event(stands+0.5, func(m history.Moment) (lot.Payload, error) {
		declared, _ := assess.DeclaredAgeAt(m.State, m.Env, m.At)
		age := declared.Days + between(-0.2, 0.2)
		if old {
			age += between(2, 4)
		}
		return lot.Inspected{Scheme: "demerit20", SchemeVersion: 1, Fish: []freshness.Fish{{Signs: freshness.Signs{"skin": 0, "smell": 0}}},
			Reading: freshness.Reading{Age: &freshness.Age{Days: age, SD: 0.4}}, Proposed: freshness.Verdict{Decision: freshness.Accept,
				Rule: "by the test"},
			Decision: freshness.Accept}, nil
	})
	return l, warm, at(until - 0.1)
}
