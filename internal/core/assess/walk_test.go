package assess

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/thawing"
)

// acts are what may happen to a lot, drawn at random; many of them make no sense
// where the lot stands.
var acts = []func(r *rand.Rand, s *lot.State) lot.Payload{
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return lot.Moved{PlaceID: []int64{10, 20, 30, 40, 50, 60}[r.IntN(6)]}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return lot.Temperature{Celsius: []float64{-22, -1, 0.5, 1.5, 2, 3, 12}[r.IntN(7)]}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return inspected(4*r.Float64(), 0.4,
			[]freshness.Decision{freshness.Accept, freshness.Accept, freshness.Accept, freshness.AcceptCook,
				freshness.Hold}[r.IntN(5)])
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		if r.IntN(4) > 0 {
			return lot.Temperature{Celsius: 1}
		}
		return lot.Left{EndUse: lot.UsedCooked, Note: "served"}
	},
	func(r *rand.Rand, s *lot.State) lot.Payload {
		return lot.Taken{EndUse: lot.EndUses[r.IntN(len(lot.EndUses))], WeightKg: s.WeightKg * 1.2 * r.Float64() * r.Float64(),
			Count: r.IntN(3), Note: "for tonight"}
	},
	func(*rand.Rand, *lot.State) lot.Payload { return lot.Held{Reason: "a doubt"} },
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return lot.Declared{Origin: []lot.FishOrigin{lot.Wild, lot.Farmed, "pond"}[r.IntN(3)], Reason: "a letter"}
	},
	func(*rand.Rand, *lot.State) lot.Payload {
		return lot.Released{Reason: "no doubt", Approval: lot.Approval{ByManager: true}}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return lot.Packed{Packing: lot.Packing{Pack: lot.Packs[r.IntN(len(lot.Packs))]}}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload { f := froze(); f.MM = 10 + 60*r.Float64(); return f },
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		p := pulled([]string{thawing.Fridge, thawing.Water, thawing.CookFrozen}[r.IntN(3)])
		p.Opened, p.EndUse = r.IntN(2) == 0, []thawing.EndUse{thawing.Cook, thawing.Raw}[r.IntN(2)]
		return p
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return lot.Thawed{CoreC: 6*r.Float64() - 3, DripKg: 0.1 * r.Float64()}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		return lot.Returned{PlaceID: 30, CoreC: -10 * r.Float64(), Reason: "too early", Approval: lot.Approval{ByManager: true}}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload { return lot.Cooked{CoreC: 50 + 30*r.Float64()} },
	func(r *rand.Rand, s *lot.State) lot.Payload {
		h := lot.Hung{PlaceID: 60, Hook: 1 + r.IntN(4), Kg: s.WeightKg, Policy: ageing.Policies()[r.IntN(2)].ID,
			Target: 0.02 + 0.1*r.Float64(), Hanging: "head_up", Raw: r.IntN(2) == 0, Opened: "trial", Approval: lot.Approval{ByManager: true}}
		for _, p := range ageing.Preps() {
			h.Preps = append(h.Preps, p.ID)
		}
		return h
	},
	func(r *rand.Rand, s *lot.State) lot.Payload {
		return lot.Weighed{Kg: s.WeightKg * (0.95 + 0.07*r.Float64()), Because: "as it is"}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		if r.IntN(5) == 0 {
			return lot.DailyCheck{Stops: []string{"smell"}}
		}
		return lot.DailyCheck{}
	},
	func(r *rand.Rand, s *lot.State) lot.Payload {
		kg := s.WeightKg * 0.95
		return lot.TakenDown{Kg: kg, CrustKg: 0.05 * kg, UsableKg: 0.5 * kg * float64(r.IntN(2)), PlaceID: 20}
	},
}

// Whatever happens to a lot in whatever order, as far as the rules let it: the fold
// and the account stand, and what may never be is not. Raw service in particular
// needs all of its conditions, each time.
func TestWhatMayNeverBe(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 4))
	reached, raw := map[lot.Kind]int{}, 0
	for n := range 120 {
		species := []string{"cod", "sea-bream", "mackerel", "salmon"}[n%4]
		h := &history{ID: uuid.New()}
		core := 1.0
		caught := at(-12)
		received := lot.Received{DeliveryID: uuid.New(), Line: 1, Code: "CATCH-1", SpeciesID: species,
			Form: []string{"gutted_gills_out", "fillet_skin_on"}[r.IntN(2)], Count: 1, WeightKg: 0.5 + 3*r.Float64(),
			CoreC: &core, Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1,
			PlaceID: 20}
		if r.IntN(4) > 0 {
			received.Origin = lot.Farmed
		}
		if received.Frozen = r.IntN(4) == 0; received.Frozen {
			core = -22
			received.Ice, received.PlaceID = "none", 30
		}
		h.Add(0, received)
		if r.IntN(4) > 0 && !received.Frozen {
			h.Add(0.1, inspected(1.5*r.Float64(), 0.4, freshness.Accept))
		}
		hours := 0.0
		for range 14 {
			hours += math.Exp(4 * r.Float64()) // an hour to two days
			s := h.Fold(t)
			e := walkEnv(hours)
			a := Assess(s, e, at(hours))
			for range 3 { // until something is let in
				p := acts[r.IntN(len(acts))](r, s)
				if r.IntN(10) == 0 { // an entry was wrong
					p = correction(t, r, h)
				}
				event := lot.Event{ID: uuid.New(), HappenedAt: at(hours)}
				_, _, judged := s.Subject(event, p)
				err := ask(s, a.Facts(judged), event, p)
				if err == nil {
					if lot.KindOf(p) == "used" && len(a.Stops) > 0 {
						t.Fatalf("it was used though a clock stops it: %v", a.Stops)
					}
					h.Add(hours, p)
					reached[lot.KindOf(p)]++
					break
				}
				var bad invalid.Errors
				if !errors.As(err, &bad) || len(bad) == 0 || slices.ContainsFunc(bad, func(x invalid.Error) bool {
					return x.Message == ""
				}) {
					t.Fatalf("%T is refused with %v", p, err)
				}
			}
			if never(t, h, walkEnv(hours+20*r.Float64())) {
				raw++
			}
		}
	}
	if raw < 12 {
		t.Errorf("raw was open %d times: the walk tells too little", raw)
	}
	for _, kind := range []lot.Kind{"froze", "pulled", "thawed", "returned", "cooked", "hung", "weighed", "looked",
		"taken_down", "used", "declared", "corrected"} {
		if reached[kind] < 3 {
			t.Errorf("%s was reached %d times: the walk tells too little", kind, reached[kind])
		}
	}
}

// correction replaces what an entry says by what another entry of its kind might say.
func correction(t *testing.T, r *rand.Rand, h *history) lot.Payload {
	t.Helper()
	e := h.Events[r.IntN(len(h.Events))]
	p, err := lot.Decode(e.Kind, e.Data)
	if err != nil {
		t.Fatal(err)
	}
	switch x := p.(type) {
	case lot.Received:
		x.WeightKg *= 0.9 + 0.2*r.Float64()
		p = x
	case lot.Temperature:
		x.Celsius += 4*r.Float64() - 2
		p = x
	case lot.Froze:
		x.MM += 10 * r.Float64()
		p = x
	case lot.Pulled:
		x.Method = []string{thawing.Fridge, thawing.Water}[r.IntN(2)]
		p = x
	case lot.Thawed:
		x.DripKg, x.CoreC = 0.1*r.Float64(), x.CoreC+r.Float64()-0.5
		p = x
	case lot.Weighed:
		x.Kg *= 1.01
		p = x
	}
	data, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	return lot.Corrected{EventID: e.ID, Data: data, Reason: "misread"}
}

// walkEnv is inFreezer with an ageing cabinet.
func walkEnv(hours float64) Env {
	e := inFreezer(hours, steady(-22))
	probes := map[int64]coldchain.Record{7: everywhere(1), 8: everywhere(-22), 9: everywhere(1.5), 11: everywhere(2)}
	e.Probe = func(id int64) coldchain.Record { return probes[id] }
	e.Places[60] = lot.Place{ID: 60, Name: "Ager", Kind: "ager", SetC: 1.5, Air: true,
		Probes: []lot.ProbeStay{{ProbeID: 9, Span: always}}}
	e.Cabinets = map[int64]Cabinet{60: {Climate: ageing.Climate{Set: ageing.Air{Celsius: 1.5, RH: 0.8}},
		Recorded: true, Scale: ageing.Scale{StepKg: 0.005}}}
	for _, species := range []string{"cod", "salmon"} {
		e.Declarations = append(e.Declarations, Declaration{ID: uuid.New(), Kind: DeclaredFarmed, SupplierID: 1,
			SpeciesID: species, IssuedOn: at(-100), ValidTo: at(10000), Reference: "F 12"})
	}
	return e
}

// never holds a lot to what may never be, and reports whether it may be served raw.
func never(t *testing.T, h *history, e Env) bool {
	t.Helper()
	s := h.Fold(t)
	a := assessNow(s, e)
	clocksHold(t, s, a)
	uses := map[string]Use{}
	for _, use := range Fitness(s, a) {
		uses[use.ID] = use
		if use.OK != (len(use.Reasons) == 0) {
			t.Fatalf("%s is %v for %q", use.ID, use.OK, use.Reasons)
		}
	}
	wrong := func(what string, is bool) {
		if is {
			t.Fatalf("%s: %s\nevents: %v\nraw: %+v", what, s.Received.SpeciesID, kindsOf(h), uses["raw"])
		}
	}
	raw := uses["raw"].OK
	wrong("raw without a parasite route", raw && !a.Parasites.Met)
	wrong("raw though frozen or half thawed", raw && (s.Frozen() || s.Thawing()))
	wrong("raw though held or stopped", raw && (s.Hold != "" || len(a.Stops) > 0))
	wrong("raw though cooked", raw && s.Cooked != nil)
	wrong("raw after a thaw for the pan", raw && s.Thaw() != nil && s.Thaw().Pull.EndUse == thawing.Cook)
	wrong("raw though long-aged, without a plan", raw && a.Ageing != nil && a.Ageing.Policy.ID == ageing.LongAge)
	wrong("frozen twice", uses["freeze"].OK && (s.Thaw() != nil || s.Frozen()))
	wrong("aged though frozen, cooked or hanging",
		uses["dry_age"].OK && (s.Frozen() || s.Cooked != nil || s.Ageing() != nil))
	for _, use := range uses {
		wrong("fit for "+use.ID+" though a rule stops it", use.OK && len(a.Stops) > 0)
	}
	wrong(fmt.Sprintf("no number: %v %v %v", a.Used.Days, a.Left.Days, a.NowC),
		math.IsNaN(a.Used.Days) || math.IsNaN(a.Left.Days) || math.IsNaN(a.NowC) || a.Left.Days < 0 || a.Used.Days < 0)
	wrong("thawed without an hour by which it is used", s.Thaw() != nil && s.Cooked == nil && a.KeepTo.IsZero())
	wrong("cooked without a date mark", s.Cooked != nil && a.Cooling == nil)
	if a.FrozenLife != nil {
		wrong("a frozen life below none", a.FrozenLife.Share < 0)
	}
	if told := a.Ageing; told != nil {
		wrong("a band that does not hold its middle", told.Loss.Lo > told.Loss.Mid || told.Loss.Mid > told.Loss.Hi)
	}
	due := DueActions(s, a, e)
	wrong("due out of order", !slices.IsSortedFunc(due, func(x, y Action) int { return x.Due.Compare(y.Due) }))
	if s.WeightKg <= 0 || s.WeightKg > 10 {
		t.Fatalf("it weighs %v kg", s.WeightKg)
	}
	return raw
}

func kindsOf(h *history) (list []lot.Kind) {
	for _, e := range h.Events {
		list = append(list, e.Kind)
	}
	return list
}
