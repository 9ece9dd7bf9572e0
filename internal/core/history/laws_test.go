package history_test

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/history"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/lot/lottest"
	"leancatch/internal/core/preparing"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/thawing"
)

// The laws of the judgement (see docs/architecture.md) over seeded random histories; a history that
// breaks one is shrunk to the shortest that still does.

var laws = flag.Int("laws", 300, "how many random histories each law is held against")

var start = time.Date(2026, 5, 4, 5, 0, 0, 0, time.UTC)

func at(h float64) time.Time { return start.Add(time.Duration(h * float64(time.Hour))) }

// tale is a random history.
type tale struct {
	Species, Profile string
	Dealer, WellIced bool
	CoreC            float64
	WeightKg         float64
	Form             string
	Until            float64 // hours
	Records          []record
	Deeds            []deed
	Looks            []float64 // at the ice of the tote
}

// record is readings of a place by one instrument.
type record struct {
	Place, Probe int64
	ByHand       bool
	From, Every  float64
	Celsius      []float64
}

// deed is something that happens.
type deed struct {
	At, Late float64 // hours; how much later it was written down
	P        lot.Payload
}

// The places of a tale.
const (
	walkIn, freezer, bench, tote, shelf = 1, 2, 3, 4, 5
)

func (d deed) String() string { return fmt.Sprintf("%.2f h (+%.1f) %T%+v", d.At, d.Late, d.P, d.P) }

func (t tale) String() string {
	text := fmt.Sprintf("%s, %s %.1f kg, %s, dealer %v, well iced %v, core %.1f, until %.1f h, looks %.1f\n", t.Species, t.Form, t.WeightKg,
		t.Profile, t.Dealer, t.WellIced, t.CoreC, t.Until, t.Looks)
	for _, r := range t.Records {
		text += fmt.Sprintf("  place %d, probe %d, by hand %v, from %.2f h each %.2f h: %.1f\n", r.Place, r.Probe, r.ByHand, r.From, r.Every, r.Celsius)
	}
	for _, d := range t.Deeds {
		text += "  " + d.String() + "\n"
	}
	return text
}

// random makes a tale.
func random(r *rand.Rand) tale {
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	t := tale{Species: pick("cod", "mackerel", "mackerel", "salmon", "sea-bass", "grey-mullet", "prawn"), Profile: pick("model-code", "eu", "house-strict"), Dealer: r.IntN(4) > 0,
		WellIced: r.IntN(3) > 0, CoreC: []float64{0.5, 1.5, 2}[r.IntN(3)], WeightKg: 0.3 + 3*r.Float64(), Form: pick("gutted", "whole", "fillet_skin_on"),
		Until: 4 + 70*r.Float64()}
	if t.Species == "prawn" {
		t.Form = pick("whole", "cleaned")
	}
	probe := int64(1)
	for _, place := range []int64{walkIn, freezer, bench, tote, shelf} {
		usual := map[int64]float64{walkIn: 1, freezer: -24, bench: 19, tote: 0.5, shelf: 2}[place]
		for range 1 + r.IntN(2)*r.IntN(2) {
			if place == bench && r.IntN(2) == 0 {
				continue
			}
			rec := record{Place: place, Probe: probe, From: -3 * r.Float64(), Every: []float64{0.1, 0.25, 0.45, 1.5}[r.IntN(4)]}
			if rec.ByHand = r.IntN(4) == 0; rec.ByHand {
				rec.Every = 3 + 9*r.Float64()
			}
			probe++
			spell, length := 40*r.Float64(), 6*r.Float64()
			warm := usual + []float64{0, 3, 9, 20}[r.IntN(4)]
			for h := rec.From; h < t.Until+1; h += rec.Every {
				c := usual + 0.4*r.Float64()
				if h > spell && h < spell+length {
					c = warm
				}
				rec.Celsius = append(rec.Celsius, math.Round(10*c)/10)
			}
			t.Records = append(t.Records, rec)
		}
	}
	for h := 0.0; h < t.Until; h += 3 + 14*r.Float64() {
		t.Looks = append(t.Looks, h)
	}
	h := 0.0
	for range 2 + r.IntN(7) {
		h += 10 * r.Float64() * r.Float64()
		d := deed{At: h, P: randomDeed(r, t)}
		if r.IntN(4) == 0 {
			d.Late = 5 * r.Float64()
		}
		if move, ok := d.P.(lot.Moved); ok && r.IntN(4) == 0 {
			left := at(d.At - 2*r.Float64()*r.Float64())
			move.LeftAt = &left
			d.P = move
		}
		t.Deeds = append(t.Deeds, d)
	}
	return t
}

func randomDeed(r *rand.Rand, t tale) lot.Payload {
	choice := r.IntN(17)
	if n := len(t.Deeds); n > 0 && r.IntN(2) == 0 { // what usually follows
		switch t.Deeds[n-1].P.(type) {
		case lot.Froze:
			choice = 7
		case lot.Pulled:
			return lot.Thawed{CoreC: 0.5}
		}
	}
	switch choice {
	case 0, 1, 2:
		return lot.Moved{PlaceID: []int64{walkIn, bench, tote, shelf}[r.IntN(4)]}
	case 3:
		return lot.Temperature{Celsius: []float64{0.5, 1, 1.8, 3.5, 7, 14}[r.IntN(6)]}
	case 4:
		return lot.Packed{Packing: lot.Packing{Pack: lot.Packs[r.IntN(len(lot.Packs))]}}
	case 5:
		switch r.IntN(4) {
		case 0:
			return lot.ParCooked{CoreC: 48, Minutes: 20}
		case 1:
			return lot.Stocked{CoreC: 95, WeightKg: 2 * t.WeightKg}
		}
		return lot.Cooked{CoreC: 70}
	case 6:
		return lot.Froze{PlaceID: freezer, Method: "fan", Wrapping: "bare", Shape: heat.Slab, MM: 30, StartC: 2, AirC: -24, H: 20, BatchKg: t.WeightKg}
	case 7:
		return lot.Pulled{PlaceID: shelf, Method: thawing.Fridge, EndUse: thawing.Raw, Opened: true, MediumC: 2, H: 9, Shape: heat.Slab, MM: 30, IceFree: 20}
	case 8:
		if r.IntN(2) == 0 {
			return lot.Thawed{CoreC: 0.5}
		}
		return lot.Pulled{PlaceID: shelf, Method: thawing.Fridge, EndUse: thawing.Cook, Opened: true, MediumC: 2, H: 9, Shape: heat.Slab, MM: 30, IceFree: 20}
	case 15:
		if t.Species == "prawn" || r.IntN(2) == 0 {
			break
		}
		form := map[string]string{"gutted": "fillet_skin_on", "whole": "fillet_skinless", "fillet_skin_on": "portion_skin_on"}[t.Form]
		return lot.Cut{Count: 1, WeightKg: t.WeightKg, Missing: true, Parts: []lot.CutPart{{LotID: uuid.New(), Code: lot.Code(7),
			Form: form, Count: 1, WeightKg: t.WeightKg / 2, To: cutting.ToService, PlaceID: []int64{0, bench, shelf}[r.IntN(3)]}}}
	case 16:
		p := lot.Prepared{Method: preparing.Methods()[r.IntN(len(preparing.Methods()))].ID}
		if r.IntN(3) == 0 {
			by := at(t.Until * (0.5 + r.Float64()))
			p.UseBy = &by
		}
		return p
	case 11:
		return lot.Taken{EndUse: lot.UsedCooked, WeightKg: t.WeightKg * 0.3 * r.Float64()}
	case 9, 10, 12:
		warm := 5.0
		return lot.GapExplained{Until: at(r.Float64() * 20), Explanation: "the chef looked in now and then", WarmestC: &warm}
	}
	return lot.Inspected{Scheme: "demerit20", SchemeVersion: 1, Fish: []freshness.Fish{{Signs: freshness.Signs{"skin": 0, "smell": 0}}},
		Reading:  freshness.Reading{Age: &freshness.Age{Days: 1, SD: 0.5}},
		Proposed: freshness.Verdict{Decision: freshness.Accept, Rule: "by the test"}, Decision: freshness.Accept}
}

// lot is the tale as a record.
func (t tale) lot() history.Lot {
	profile, _ := safety.GetProfile(t.Profile)
	records := map[int64]coldchain.Record{}
	places := map[int64]lot.Place{walkIn: {Kind: "walk_in", SetC: 1, Air: true}, freezer: {Kind: "freezer", SetC: -24, Air: true},
		bench: {Kind: "bench", SetC: 18, Air: true}, tote: {Kind: "tote"}, shelf: {Kind: "thaw_shelf", SetC: 1, Air: true}}
	for id, p := range places {
		p.ID, p.Name = id, p.Kind
		for _, rec := range t.Records {
			if rec.Place != id {
				continue
			}
			var readings []coldchain.Reading
			for i, c := range rec.Celsius {
				if !math.IsNaN(c) {
					readings = append(readings, coldchain.Reading{At: at(rec.From + float64(i)*rec.Every), Celsius: c})
				}
			}
			records[rec.Probe] = coldchain.Series{Readings: readings, MaxGap: coldchain.FinestGap}
			p.Probes = append(p.Probes, lot.ProbeStay{ProbeID: rec.Probe, ByHand: rec.ByHand, Span: coldchain.Span{From: at(-1e4), To: at(1e4)}})
		}
		if id == tote {
			for _, h := range t.Looks {
				p.Seen = append(p.Seen, icing.Sighting{At: at(h), Ice: true, RunsOut: at(h + 1000)})
			}
		}
		places[id] = p
	}
	env := assess.Env{Now: at(t.Until), Profile: profile, Catalogue: species.Builtin(), Places: places, TransportC: 2, ParCook: true,
		Probe: func(id int64) coldchain.Record { return records[id] }, Dealers: map[int64]time.Time{}}
	if t.Dealer {
		env.Dealers[1] = at(1e6)
	}
	caught, sent := at(-14), at(-3)
	core := t.CoreC
	r := lot.Received{SpeciesID: t.Species, Form: t.Form, Count: 1, WeightKg: t.WeightKg, CoreC: &core, Ice: "none", SupplierID: 1, PlaceID: walkIn,
		LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, DispatchedAt: &sent, Origin: lot.Farmed}
	if t.WellIced {
		r.Ice = "well_iced"
	}
	if t.Species == "prawn" { // somebody set its last day
		by := at(30)
		r.UseBy = &by
	}
	out := history.Lot{Env: env, Received: r, ReceivedAt: at(0)}
	for _, d := range t.Deeds {
		out.Events = append(out.Events, history.Event{At: at(d.At), RecordedAt: at(d.At + d.Late), ByManager: true,
			Draft: func(history.Moment) (lot.Payload, error) { return d.P, nil }})
	}
	return out
}

func (t tale) judge(hours ...float64) history.Result {
	var moments []time.Time
	for _, h := range hours {
		moments = append(moments, at(h))
	}
	result, err := t.lot().Judge(context.Background(), moments)
	if err != nil {
		panic(err)
	}
	return result
}

func admitted(r history.Result) []bool {
	list := make([]bool, len(r.Refused))
	for i, err := range r.Refused {
		list[i] = err == nil
	}
	return list
}

// hold holds a law against random histories: it returns what is wrong with one, "" for nothing.
func hold(t *testing.T, seed uint64, law func(r *rand.Rand, x tale) string) {
	t.Helper()
	holdTimes(t, *laws, seed, law)
}

// holdTimes is hold against a number of histories.
func holdTimes(t *testing.T, times int, seed uint64, law func(r *rand.Rand, x tale) string) {
	t.Helper()
	t.Parallel()
	for n := range times {
		own := rand.New(rand.NewPCG(seed, uint64(n)))
		x := random(own)
		dice := own.Uint64()
		broken := func(x tale) string { return law(rand.New(rand.NewPCG(dice, 1)), x) }
		if why := broken(x); why != "" {
			x = shrink(x, func(x tale) bool { return broken(x) != "" })
			t.Fatalf("history %d: %s\n%v", n, broken(x), x)
		}
	}
}

// shrink leaves out of a tale whatever it can without the law being kept.
func shrink(x tale, broken func(tale) bool) tale {
	for again := true; again; {
		again = false
		try := func(y tale) {
			if broken(y) {
				x, again = y, true
			}
		}
		for i := len(x.Deeds) - 1; i >= 0; i-- {
			y := x
			y.Deeds = slices.Delete(slices.Clone(x.Deeds), i, i+1)
			try(y)
		}
		for i := len(x.Records) - 1; i >= 0; i-- {
			y := x
			y.Records = slices.Delete(slices.Clone(x.Records), i, i+1)
			try(y)
		}
		if len(x.Looks) > 0 {
			y := x
			y.Looks = nil
			try(y)
		}
		for i, d := range x.Deeds {
			if d.Late > 0 {
				y := x
				y.Deeds = slices.Clone(x.Deeds)
				y.Deeds[i].Late = 0
				try(y)
			}
		}
	}
	return x
}

var severity = map[safety.State]int{safety.StateOff: 0, safety.StateOK: 0, safety.StateWarn: 1, safety.StateUnknown: 2, safety.StateStop: 3}

// solved is how exact a share is: the curves of the heat solver are good to 0.02 K, which shifts when a limit is
// passed by seconds.
const solved = 5e-4

// safer says what of a lot is judged more mildly than before, "" for nothing.
func safer(before, after history.Judged) string {
	for i, was := range before.Clocks {
		now := after.Clocks[i]
		if severity[now.State] < severity[was.State] && was.State == safety.StateStop {
			return fmt.Sprintf("%s was stopped (%s) and is %s", was.ID, was.Why, now.State)
		}
		if !math.IsNaN(was.Share) && math.Min(now.Share, 1) < math.Min(was.Share, 1)-solved && now.State != safety.StateUnknown && now.ID != assess.ClockAfterThaw {
			return fmt.Sprintf("the share of %s was %.5f and is %.5f", was.ID, was.Share, now.Share)
		}
	}
	open := map[string]bool{}
	for _, u := range assess.Fitness(before.State, before.Assessment) {
		open[u.ID] = u.OK
	}
	for _, u := range assess.Fitness(after.State, after.Assessment) {
		if u.OK && !open[u.ID] {
			return "fit for " + u.ID + " only now"
		}
	}
	return ""
}

// Warmer is never safer.
func TestWarmerIsNeverSafer(t *testing.T) {
	hold(t, 11, func(r *rand.Rand, x tale) string {
		if len(x.Records) == 0 {
			return ""
		}
		y := x
		y.Records = slices.Clone(x.Records)
		rec := &y.Records[r.IntN(len(y.Records))]
		rec.Celsius = slices.Clone(rec.Celsius)
		from, to := r.IntN(len(rec.Celsius)), r.IntN(len(rec.Celsius)+1)
		if rec.Place == freezer { // how long it lies frozen stays as it is
			return ""
		}
		by := 0.5 + 12*r.Float64()
		for i := min(from, to); i < to; i++ {
			rec.Celsius[i] += by
		}
		before, after := x.judge(x.Until), y.judge(x.Until)
		if !slices.Equal(admitted(before), admitted(after)) {
			return ""
		}
		return safer(before.At[0], after.At[0])
	})
}

// Less record is never safer: readings within the limits that are taken away, looks at the ice, cold
// cores that say no more than the line.
func TestLessRecordIsNeverSafer(t *testing.T) {
	hold(t, 12, func(r *rand.Rand, x tale) string {
		y := x
		switch {
		case r.IntN(3) == 0 && len(x.Looks) > 0:
			i := r.IntN(len(x.Looks))
			y.Looks = slices.Delete(slices.Clone(x.Looks), i, i+1)
		case len(x.Records) > 0:
			i := r.IntN(len(x.Records))
			rec := x.Records[i]
			if rec.Place == tote || x.WellIced && rec.Place == walkIn || slices.ContainsFunc(x.Records, func(other record) bool {
				return other.Place == rec.Place && other.Probe != rec.Probe
			}) {
				return "" // of two in one place the warmer one counts, and ice that was seen where nothing was logged: the line is colder
			}
			rec.Celsius = slices.Clone(rec.Celsius)
			from, n := r.IntN(len(rec.Celsius)), 1+r.IntN(40)
			limit := 2.0
			switch {
			case rec.Place == freezer:
				limit = -20
			case rec.Every > 1: // between such readings 2 K more is taken, and above 3 °C the histamine clock counts
				limit = 1
			}
			to := min(from+n, len(rec.Celsius))
			for j := from; j < to; j++ {
				if rec.Celsius[j] > limit {
					return ""
				}
				if from > 0 && to < len(rec.Celsius) { // warmer than what would be read between its neighbours: it was unfavourable
					before, after := rec.Celsius[from-1], x.Records[i].Celsius[to]
					if rec.Celsius[j] > before+(after-before)*float64(j-from+1)/float64(to-from+1) {
						return ""
					}
				}
			}
			for j := from; j < to; j++ {
				rec.Celsius[j] = math.NaN()
			}
			y.Records = slices.Clone(x.Records)
			y.Records[i] = rec
		}
		before, after := x.judge(x.Until), y.judge(x.Until)
		if !slices.Equal(admitted(before), admitted(after)) {
			return ""
		}
		return safer(before.At[0], after.At[0])
	})
}

// A stop stays at every later moment, where nothing that ends it comes after.
func TestAStopStays(t *testing.T) {
	hold(t, 13, func(r *rand.Rand, x tale) string {
		moments := []float64{x.Until * r.Float64(), x.Until * r.Float64(), x.Until}
		slices.Sort(moments)
		for _, d := range x.Deeds {
			if _, ok := d.P.(lot.GapExplained); ok || d.Late > 0 { // what is known changes
				return ""
			}
			if _, ok := d.P.(lot.Cooked); ok { // the raw fish's clocks close
				return ""
			}
		}
		result := x.judge(moments...)
		for i := 1; i < len(result.At); i++ {
			was, now := result.At[i-1], result.At[i]
			if was.State == nil {
				continue
			}
			for j, clock := range was.Clocks {
				if clock.State == safety.StateStop && now.Clocks[j].State != safety.StateStop && clock.ID != assess.ClockDecision {
					return fmt.Sprintf("%s was stopped at %.2f h (%s) and is %s at %.2f h", clock.ID, moments[i-1], clock.Why, now.Clocks[j].State, moments[i])
				}
			}
		}
		return ""
	})
}

// Children inherit at least the parent's shares: a part of a lot is judged no more mildly than the lot
// that it was split off, then and later; what was cut of it no more mildly than it was then.
func TestChildrenInherit(t *testing.T) {
	hold(t, 14, func(r *rand.Rand, x tale) string {
		split := x.Until * r.Float64()
		parent := x.judge(split).At[0].State
		if parent == nil || parent.Status != lot.OnHand {
			return ""
		}
		part := lot.SplitLot{LotID: uuid.New(), Code: lot.Code(2), Count: parent.Count, WeightKg: parent.WeightKg}
		h := lottest.History{ID: part.LotID}
		h.Add(0, lot.Inherit(parent, parent.Head, part, nil))
		h.Events[0].HappenedAt, h.Events[0].RecordedAt = at(split), at(split)
		child := h.Fold(t)
		for _, hours := range []float64{split, split + (x.Until-split)*r.Float64(), x.Until} {
			env := x.lot().Env
			env.Now = at(hours)
			of := func(s *lot.State) history.Judged {
				return history.Judged{State: s, Assessment: assess.Assess(s, env, env.Now)}
			}
			if why := safer(of(parent), of(child)); why != "" {
				return fmt.Sprintf("split at %.2f h, %.2f h: %s", split, hours, why)
			}
		}
		parts := cutting.PartsOf(parent.Species(), parent.Form)
		if len(parts) == 0 {
			return ""
		}
		of := parts[r.IntN(len(parts)-1)] // the last is waste
		cut := lot.Cut{Count: parent.Count, WeightKg: parent.WeightKg, Parts: []lot.CutPart{{LotID: uuid.New(), Code: lot.Code(3), Form: of.ID,
			Count: 1, WeightKg: parent.WeightKg / 2, To: cutting.ToService}}}
		e := lot.Event{ID: uuid.New(), LotID: parent.ID, HappenedAt: at(split)}
		h = lottest.History{ID: cut.Parts[0].LotID}
		h.Add(0, lot.InheritCut(parent, parent.Head, e, cut, 0))
		h.Events[0].HappenedAt, h.Events[0].RecordedAt = at(split), at(split)
		env := x.lot().Env
		env.Now = at(split)
		whole := history.Judged{State: parent, Assessment: assess.Assess(parent, env, env.Now)}
		cutOf := h.Fold(t)
		if why := safer(whole, history.Judged{State: cutOf, Assessment: assess.Assess(cutOf, env, env.Now)}); why != "" {
			return fmt.Sprintf("%s cut at %.2f h: %s", of.Name, split, why)
		}
		env.Now = at(split + 24*8) // and it is raw no more, whatever it was
		for _, c := range assess.Assess(cutOf, env, env.Now).Clocks {
			if c.ID == assess.ClockCut && cutting.IsCut(of.ID) && !cutOf.Frozen() && len(cutOf.FrozenStays) == 0 && cutOf.Cooked == nil && c.State != safety.StateStop {
				return fmt.Sprintf("%s, cut eight days ago: the clock of the cut says %s", of.Name, c.State)
			}
		}
		return ""
	})
}

// Put together, the worst of each counts: what was put together is judged no more mildly than either was, then and later.
func TestPutTogether(t *testing.T) {
	together := 0
	hold(t, 20, func(r *rand.Rand, x tale) string {
		y := x // the same places, other deeds
		y.CoreC, y.WellIced = []float64{0.5, 1.5, 2}[r.IntN(3)], r.IntN(3) > 0
		y.Deeds = random(r).Deeds
		y.Deeds = slices.DeleteFunc(y.Deeds, func(d deed) bool { _, cut := d.P.(lot.Cut); return cut })
		when := x.Until * r.Float64()
		a, b := x.judge(when).At[0], y.judge(when).At[0]
		if a.State == nil || b.State == nil || a.State.Status != lot.OnHand || b.State.Status != lot.OnHand {
			return ""
		}
		b.State.ID = uuid.New() // tales have no ids
		merged, _, err := lot.Merge(a.State, b.State, nil)
		if err != nil {
			return ""
		}
		data, err := json.Marshal(merged)
		if err != nil {
			t.Fatal(err)
		}
		both, err := a.State.With(lot.Event{ID: uuid.New(), LotID: a.State.ID, Seq: a.State.Seq + 1, Kind: lot.KindOf(merged), HappenedAt: at(when),
			RecordedAt: at(when), Data: data})
		if err != nil {
			t.Fatal(err)
		}
		together++
		env := x.lot().Env
		of := func(s *lot.State, hours float64) history.Judged {
			env.Now = at(hours)
			return history.Judged{State: s, Assessment: assess.Assess(s, env, env.Now)}
		}
		if why := safer(of(a.State, when), of(both, when)); why != "" {
			return fmt.Sprintf("put together at %.2f h, against the one: %s", when, why)
		}
		if why := safer(of(b.State, when), of(both, when)); why != "" {
			return fmt.Sprintf("put together at %.2f h, against the other: %s", when, why)
		}
		later := when + (x.Until-when)*r.Float64()
		if why := safer(of(a.State, later), of(both, later)); why != "" {
			return fmt.Sprintf("put together at %.2f h, at %.2f h: %s", when, later, why)
		}
		return ""
	})
	if together < *laws/20 {
		t.Errorf("%d put together: the law sees too little", together)
	}
}

// The order of writing does not matter for one set of admitted facts.
func TestTheOrderOfWritingDoesNotMatter(t *testing.T) {
	hold(t, 15, func(r *rand.Rand, x tale) string {
		y := x
		y.Deeds = slices.Clone(x.Deeds)
		for i := range y.Deeds {
			y.Deeds[i].Late = math.Max(0, x.Until-y.Deeds[i].At) * r.Float64()
		}
		before, after := x.judge(x.Until), y.judge(x.Until)
		for i := range before.Refused {
			if before.Refused[i] != nil || after.Refused[i] != nil || x.Deeds[i].At+x.Deeds[i].Late > x.Until {
				return ""
			}
		}
		for i, was := range before.At[0].Clocks {
			now := after.At[0].Clocks[i]
			if was.State != now.State || math.Abs(was.Share-now.Share) > 1e-9 {
				return fmt.Sprintf("%s is %s %.4f, written in another order %s %.4f", was.ID, was.State, was.Share, now.State, now.Share)
			}
		}
		return ""
	})
}

// Deny by default: fit only where each clock that guards the use says ok or warn; raw fit implies cook
// fit; uses and exits agree; what is discarded leaves.
func TestDenyByDefault(t *testing.T) {
	hold(t, 16, func(_ *rand.Rand, x tale) string {
		j := x.judge(x.Until).At[0]
		fit := map[lot.Gate]bool{}
		for _, u := range assess.Fitness(j.State, j.Assessment) {
			fit[lot.Gate(u.ID)] = u.OK
		}
		for _, c := range j.Clocks {
			bad := c.State == safety.StateUnknown || c.State == safety.StateStop
			if bad && len(c.Guards) == 0 {
				return fmt.Sprintf("%s is %s and guards nothing", c.ID, c.State)
			}
			for _, g := range c.Guards {
				if fit[g] {
					return fmt.Sprintf("fit for %s though %s closes it", g, c.ID)
				}
			}
		}
		if fit[lot.GateRaw] && !fit[lot.GateCook] {
			return "fit for raw and not for cook"
		}
		answers := j.Facts(lot.Left{}).Answers
		par := j.State.ParCooked != nil // it is cooked through here, and leaves as that alone
		if answers[lot.ExitRaw].OK != fit[lot.GateRaw] || answers[lot.ExitCooked].OK != fit[lot.GateCook] ||
			answers[lot.ExitSold].OK != (fit[lot.GateCook] && !par) {
			return "uses and exits disagree"
		}
		if j.State.Status == lot.OnHand {
			var bad invalid.Errors
			_, err := lot.Admit(j.State, j.Facts(lot.Discarded{}), lot.Event{ID: uuid.New(), HappenedAt: j.At}, lot.Discarded{Reason: "spoilt"})
			if errors.As(err, &bad) {
				return fmt.Sprintf("it cannot be discarded: %v", err)
			}
			for _, use := range lot.EndUses {
				some := lot.Taken{EndUse: use, WeightKg: j.State.WeightKg / 3}
				if use == lot.UsedWaste {
					some.Reason = lot.WasteTooOld
				}
				if par {
					if _, err := lot.Admit(j.State, j.Facts(some), lot.Event{ID: uuid.New(), HappenedAt: j.At}, some); err == nil && use != lot.UsedWaste {
						return fmt.Sprintf("par-cooked, it goes to %s as it is", use)
					}
					through := 75.0
					some.CoreC = &through
				}
				_, err := lot.Admit(j.State, j.Facts(some), lot.Event{ID: uuid.New(), HappenedAt: j.At}, some)
				if want := use == lot.UsedWaste || answers[some.Asks()].OK && j.State.Hold == ""; want != (err == nil) {
					return fmt.Sprintf("some of it is %s: %v", use.Name(), err)
				}
			}
			gone := lot.NotFound{WeightKg: j.State.WeightKg}
			if _, err := lot.Admit(j.State, j.Facts(gone), lot.Event{ID: uuid.New(), HappenedAt: j.At}, gone); err != nil {
				return fmt.Sprintf("what is gone cannot be written down: %v", err)
			}
		}
		return ""
	})
}

// With nothing new no lot becomes better; and its outlook says of each later moment what the clocks
// say that are read there.
func TestTheOutlookIsWhatComes(t *testing.T) {
	rank := map[assess.Serving]int{assess.ServeRaw: 2, assess.ServeCook: 1, assess.ServeNone: 0}
	hold(t, 19, func(r *rand.Rand, x tale) string {
		x.Deeds = slices.DeleteFunc(slices.Clone(x.Deeds), func(d deed) bool { return d.At+d.Late > x.Until })
		moments := []float64{x.Until}
		for range 4 {
			moments = append(moments, x.Until+300*r.Float64()*r.Float64())
		}
		slices.Sort(moments)
		result := x.judge(moments...)
		now := result.At[0]
		outlook := now.Outlook()
		for i, j := range result.At[1:] {
			said, is := assess.SpellAt(outlook, j.At), j.Spell()
			if rank[is.Serving] > rank[result.At[i].Spell().Serving] {
				return fmt.Sprintf("%s at %.2f h, %s at %.2f h", result.At[i].Spell().Serving, moments[i], is.Serving, moments[i+1])
			}
			ahead := time.Minute + j.At.Sub(now.At)/50 // by so much an end is told too early
			if is.Serving != said.Serving && (rank[said.Serving] > rank[is.Serving] || assess.SpellAt(outlook, j.At.Add(-ahead)).Serving != is.Serving) {
				return fmt.Sprintf("at %.2f h: %s (%s), the outlook says %s (%s): %v", moments[i+1], is.Serving, is.Why, said.Serving, said.Why, outlook)
			}
			if (is.Why == "") != (is.Serving == assess.ServeRaw) {
				return fmt.Sprintf("%s because %q", is.Serving, is.Why)
			}
		}
		return ""
	})
}

// plans is how many plans are held against what comes of them.
const plans = 500

// What is forecast along a plan of places is what the record says when that time has come, where each place was as warm as
// the plan had it: the same uses, and the same shares of the clocks.
func TestThePlanIsWhatComes(t *testing.T) {
	told := 0
	t.Cleanup(func() {
		if told < plans {
			t.Errorf("%d plans tell anything, want %d", told, plans)
		}
	})
	holdTimes(t, max(*laws, 4*plans), 41, func(r *rand.Rand, x tale) string {
		x.Records, x.Looks = nil, nil
		x.Deeds = slices.DeleteFunc(slices.Clone(x.Deeds), func(d deed) bool {
			switch p := d.P.(type) {
			case lot.Froze, lot.Cooked, lot.ParCooked, lot.Stocked, lot.Hung, lot.Taken, lot.Left, lot.Discarded, lot.Refused: // which are planned otherwise
				return true
			case lot.Moved:
				if p.PlaceID == freezer || p.PlaceID == tote {
					return true
				}
			}
			return d.At+d.Late > x.Until
		})
		future := map[int64]float64{walkIn: 1 + r.Float64(), shelf: 3 * r.Float64(), bench: 14 + 8*r.Float64()}
		end := x.Until + 30*r.Float64()
		for place, c := range future { // an instrument in each
			rec := record{Place: place, Probe: place, From: -3, Every: 0.1}
			for h := rec.From; h <= end; h += rec.Every {
				now := c + 0.2*math.Sin(h)
				if h >= x.Until {
					now = c
				}
				rec.Celsius = append(rec.Celsius, now)
			}
			x.Records = append(x.Records, rec)
		}
		now := x.judge(x.Until).At[0]
		s := now.State
		if s == nil || s.Status != lot.OnHand || s.Frozen() || s.Thaw() != nil || s.Ageing() != nil || s.Cooked != nil || future[s.Place()] == 0 {
			return ""
		}
		places := x.lot().Env.Places
		plan := []assess.Planned{{From: at(x.Until), Celsius: future[s.Place()], Boundary: places[s.Place()].Boundary(), Exposed: s.Place() == bench}}
		for h := x.Until + 8*r.Float64(); h < end && len(plan) < 4; h += 0.2 + 8*r.Float64() {
			place := []int64{walkIn, walkIn, shelf, bench}[r.IntN(4)]
			plan = append(plan, assess.Planned{From: at(h), Celsius: future[place], Boundary: places[place].Boundary(), Exposed: place == bench})
			x.Deeds = append(x.Deeds, deed{At: h, P: lot.Moved{PlaceID: place}})
		}
		ahead := now.Ahead(at(end+1), plan...)
		x.Until = end
		result := x.judge(end)
		if slices.ContainsFunc(result.Refused[len(result.Refused)-len(plan)+1:], func(err error) bool { return err != nil }) {
			return ""
		}
		told++
		then, is := ahead.At(at(end)), result.At[0]
		for i, a := range then.Clocks {
			if b := is.Clocks[i]; !math.IsNaN(a.Share) && !math.IsNaN(b.Share) && math.Abs(math.Min(a.Share, 1)-math.Min(b.Share, 1)) > 0.03 {
				return fmt.Sprintf("%s was forecast %s %.3f, and is %s %.3f (%s)", a.ID, a.State, a.Share, b.State, b.Share, b.Why)
			}
		}
		for _, gate := range []lot.Gate{lot.GateRaw, lot.GateCook} {
			use := func(a assess.Assessment) bool { return assess.UseFor(assess.Fitness(s, a), gate).OK }
			early, late := use(ahead.At(at(end-0.2))), use(ahead.At(at(end+0.2)))
			if got := assess.UseFor(assess.Fitness(is.State, is.Assessment), gate); got.OK != early && got.OK != late {
				return fmt.Sprintf("%s was forecast %v, and is %v: %v", gate, use(then), got.OK, got.Reasons)
			}
		}
		return ""
	})
}

// A second evaluator, minute by minute along the temperature of the body, that shares neither grades
// nor clocks with the first: out of the cold, and hours above 4.4 °C of a former.
func TestMinuteByMinute(t *testing.T) {
	hold(t, 17, func(_ *rand.Rand, x tale) string {
		x.Deeds = slices.DeleteFunc(slices.Clone(x.Deeds), func(d deed) bool {
			switch d.P.(type) {
			case lot.Cooked, lot.ParCooked, lot.Stocked:
				return true
			}
			return false
		})
		j := x.judge(x.Until).At[0]
		limits := map[string][4]float64{"model-code": {5, 2, 4, 8}, "eu": {4, 2, 4, 8}, "house-strict": {4, 1, 2, 4}}[x.Profile]
		var above, warm, unknown, very int // minutes
		hot, cookBy := false, math.Inf(1)
		for m := 0; m < int(x.Until*60); m++ {
			p, ok := j.Line.At(at((float64(m) + 1) / 60))
			switch {
			case !ok:
				return "the line has a hole"
			case p.Grade == assess.GradeUnknown:
				if unknown++; !p.Counts {
					continue
				}
			}
			if p.Celsius > limits[0] {
				above++
			}
			if p.Celsius > 4.4 {
				warm++
			}
			if p.Celsius > 25 {
				very++
			}
			hot = hot || p.Celsius > 21.1
			if above > int(limits[2]*60) && math.IsInf(cookBy, 1) {
				cookBy = float64(m)/60 + 1
			}
		}
		stop := limits[3]
		if hot {
			stop = math.Min(stop, 4)
		}
		hours := float64(above) / 60
		near := func(a, b float64) bool { return math.Abs(a-b) < 0.1 } // at a limit, minutes decide nothing
		for _, c := range j.Clocks {
			if c.ID != assess.ClockOutOfCold {
				continue
			}
			if math.Abs(c.Share-hours/stop) > 0.05/stop+0.01 && !near(hours, 0) {
				return fmt.Sprintf("out of the cold for %.2f h of %.0f, its share says %.3f", hours, stop, c.Share)
			}
			if near(hours, stop) || near(hours, limits[1]) || near(hours, limits[2]) || near(cookBy, x.Until) || near(float64(very)/60, 1) {
				return ""
			}
			if unknown == 1 || unknown == 2 { // one minute is as good as two
				return ""
			}
			var want safety.State
			switch {
			case hours > stop || x.Until > cookBy || very > 60:
				want = safety.StateStop
			case unknown > 2:
				want = safety.StateUnknown
			}
			if (want == safety.StateStop) != (c.State == safety.StateStop) || (want == safety.StateUnknown) != (c.State == safety.StateUnknown) {
				return fmt.Sprintf("out of the cold is %s (%s), minute by minute %q: %.2f h of %.0f, %d min unknown", c.State, c.Why, want, hours, stop, unknown)
			}
			if raw := hours > limits[1]; raw && !slices.Contains(c.Guards, lot.GateRaw) {
				return fmt.Sprintf("raw after %.2f h", hours)
			}
		}
		if b := j.Histamine; b != nil && x.Dealer && math.Abs(*b.After.Used-b.After.Unknown-float64(warm)/60) > 0.1 {
			return fmt.Sprintf("%.2f h above 4.4 °C, minute by minute %.2f", *b.After.Used-b.After.Unknown, float64(warm)/60)
		}
		return ""
	})
}

// freshTales is how many histories the fresh days are held against at least.
const freshTales = 2000

// Where the fresh days went is all of them: the parts sum to what was spent, and without an inspection the way alone explains it.
func TestFreshDaysSumToWhatWasSpent(t *testing.T) {
	holdTimes(t, max(*laws, freshTales), 53, func(r *rand.Rand, x tale) string {
		at := at(x.Until * r.Float64())
		l := x.lot()
		result, err := l.Judge(context.Background(), []time.Time{at})
		if err != nil {
			panic(err)
		}
		s, a := result.At[0].State, result.At[0].Assessment
		if s == nil {
			return ""
		}
		from := start.Add(time.Duration(20 * r.Float64() * float64(time.Hour)))
		warm := map[int64][]coldchain.Span{walkIn: {{From: from, To: from.Add(5 * time.Hour)}}, shelf: {{From: from.Add(time.Hour), To: from.Add(2 * time.Hour)}}}
		sum, read := 0.0, 0.0
		seen := map[string]bool{}
		for _, part := range assess.FreshLosses(s, l.Env, a, warm) {
			if sum += part.Days; seen[part.Where] {
				return part.Where + " stands twice"
			}
			seen[part.Where] = true
			read = part.Days // the last is what the fish said
		}
		if math.Abs(sum-a.Used.Days) > 1e-9 {
			return fmt.Sprintf("the parts sum to %v, spent are %v", sum, a.Used.Days)
		}
		if _, inspected := s.Inspection(); !inspected && len(s.Others) == 0 && math.Abs(read) > 1e-9 {
			return fmt.Sprintf("nobody inspected it, and %v fresh days went nowhere", read)
		}
		return ""
	})
}

// The histories reach what the laws are about.
func TestTheHistoriesTellSomething(t *testing.T) {
	states, kinds, grades, fit := map[string]int{}, map[lot.Kind]int{}, map[assess.Grade]int{}, map[string]int{}
	for n := range 300 {
		x := random(rand.New(rand.NewPCG(18, uint64(n))))
		result := x.judge(x.Until)
		for i, err := range result.Refused {
			if err == nil {
				kinds[lot.KindOf(x.Deeds[i].P)]++
			}
		}
		j := result.At[0]
		for _, c := range j.Clocks {
			states[string(c.ID)+" "+string(c.State)]++
		}
		for _, s := range j.Line {
			grades[s.Grade]++
		}
		for _, u := range assess.Fitness(j.State, j.Assessment) {
			if u.OK {
				fit[u.ID]++
			}
		}
	}
	for _, want := range []string{"out_of_cold ok", "out_of_cold unknown", "out_of_cold stop", "histamine ok", "histamine unknown", "histamine stop",
		"reduced_oxygen ok", "frozen_break ok", "after_thaw ok", "cut ok", "cut stop", "prepared ok", "prepared stop", "cooling stop", "to_chill unknown"} {
		if states[want] < 3 {
			t.Errorf("%s: %d times", want, states[want])
		}
	}
	for _, kind := range []lot.Kind{"moved", "temperature", "packed", "cooked", "par_cooked", "stocked", "froze", "pulled", "thawed", "accounted", "inspected", "taken", "cut", "prepared"} {
		if kinds[kind] < 2 {
			t.Errorf("%s: %d times", kind, kinds[kind])
		}
	}
	for _, g := range []assess.Grade{assess.GradeLogged, assess.GradeChecked, assess.GradeIced, assess.GradeBridged, assess.GradeExposed,
		assess.GradeExplained, assess.GradeUnknown} {
		if grades[g] < 10 {
			t.Errorf("%s: %d times", g, grades[g])
		}
	}
	for _, use := range []string{"cook", "freeze", "dry_age"} {
		if fit[use] < 10 {
			t.Errorf("fit for %s: %d times", use, fit[use])
		}
	}
}
