package assess

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
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
	func(*rand.Rand, *lot.State) lot.Payload { return lot.Held{Reason: "a doubt"} },
	func(*rand.Rand, *lot.State) lot.Payload { return lot.Released{Reason: "no doubt", ByManager: true} },
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
		return lot.Returned{PlaceID: 30, CoreC: -10 * r.Float64(), Reason: "too early", ByManager: true}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload { return lot.Cooked{CoreC: 50 + 30*r.Float64()} },
	func(r *rand.Rand, s *lot.State) lot.Payload {
		h := lot.Hung{PlaceID: 60, Hook: 1 + r.IntN(4), Kg: s.Received.WeightKg, Policy: ageing.Policies()[r.IntN(2)].ID,
			Target: 0.02 + 0.1*r.Float64(), Hanging: "head_up", Raw: r.IntN(2) == 0, Opened: "trial", ByManager: true}
		for _, p := range ageing.Preps() {
			h.Preps = append(h.Preps, p.ID)
		}
		return h
	},
	func(r *rand.Rand, s *lot.State) lot.Payload {
		return lot.Weighed{Kg: s.Received.WeightKg * (0.95 + 0.07*r.Float64()), Because: "as it is"}
	},
	func(r *rand.Rand, _ *lot.State) lot.Payload {
		if r.IntN(5) == 0 {
			return lot.DailyCheck{Stops: []string{"smell"}}
		}
		return lot.DailyCheck{}
	},
	func(r *rand.Rand, s *lot.State) lot.Payload {
		kg := s.Received.WeightKg * 0.95
		return lot.TakenDown{Kg: kg, CrustKg: 0.05 * kg, UsableKg: 0.5 * kg * float64(r.IntN(2)), PlaceID: 20}
	},
}

// ruled reports whether the rules beyond the payload's own let an act be.
func ruled(s *lot.State, a Assessment, e Env, p lot.Payload, when time.Time) error {
	switch x := p.(type) {
	case lot.Moved:
		return lot.MayMove(s, e.Places[x.PlaceID])
	case lot.Packed:
		return lot.MayPack(s, x.Packing, e.Profile)
	case lot.Froze:
		return MayFreeze(s, a, x, e.Profile)
	case lot.Cooked:
		return MayCook(a, x, e.Profile)
	case lot.Hung:
		return MayHang(s, a, e, x)
	case lot.Weighed:
		return MayWeigh(s, a, e, x, when)
	}
	return nil
}

// Whatever happens to a lot in whatever order, as far as the rules let it: the fold
// and the account stand, and what may never be is not. Raw service in particular
// needs all of its conditions, each time.
func TestWhatMayNeverBe(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 4))
	reached, raw := map[lot.Kind]int{}, 0
	for n := range 120 {
		species := []string{"cod", "sea-bream", "mackerel", "salmon"}[n%4]
		h := &history{id: uuid.New()}
		core := 1.0
		caught := at(-12)
		received := lot.Received{DeliveryID: uuid.New(), Line: 1, Code: "CATCH-1", SpeciesID: species,
			Form: []string{"gutted_gills_out", "fillet_skin_on"}[r.IntN(2)], Count: 1, WeightKg: 0.5 + 3*r.Float64(),
			CoreC: &core, Ice: "well_iced", LabelDate: lot.LabelDate{At: &caught, Means: freshness.Caught}, SupplierID: 1,
			PlaceID: 20}
		if received.Frozen = r.IntN(4) == 0; received.Frozen {
			core = -22
			received.Ice, received.PlaceID = "none", 30
		}
		h.add(0, received)
		hours := 0.0
		for range 14 {
			hours += math.Exp(4 * r.Float64()) // an hour to two days
			s := h.fold(t)
			e := walkEnv(hours)
			a := Assess(s, e)
			p := acts[r.IntN(len(acts))](r, s)
			event := lot.Event{ID: uuid.New(), LotID: h.id, Kind: p.Kind(), HappenedAt: at(hours), PersonID: 1}
			err := lot.Check(s, event, p, at(hours+0.1))
			if err == nil {
				err = ruled(s, a, e, p, at(hours))
			}
			var bad invalid.Errors
			switch {
			case err == nil:
				h.add(hours, p)
				reached[p.Kind()]++
			case !errors.As(err, &bad) || len(bad) == 0 || slices.ContainsFunc(bad, func(x invalid.Error) bool {
				return x.Message == ""
			}):
				t.Fatalf("%T is refused with %v", p, err)
			}
			if never(t, h, walkEnv(hours+20*r.Float64())) {
				raw++
			}
		}
	}
	if raw < 20 {
		t.Errorf("raw was open %d times: the walk tells too little", raw)
	}
	for _, kind := range []lot.Kind{lot.KindFroze, lot.KindPulled, lot.KindThawed, lot.KindReturned, lot.KindCooked, lot.KindHung, lot.KindWeighed,
		lot.KindDailyCheck, lot.KindTakenDown} {
		if reached[kind] < 3 {
			t.Errorf("%s was reached %d times: the walk tells too little", kind, reached[kind])
		}
	}
}

// walkEnv is inFreezer with an ageing cabinet.
func walkEnv(hours float64) Env {
	e := inFreezer(hours, steady(-22))
	e.Places[60] = lot.Place{ID: 60, Name: "Ager", Kind: "ager", SetC: 1.5, Air: true}
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
	s := h.fold(t)
	a := Assess(s, e)
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
	if s.Received.WeightKg <= 0 || s.Received.WeightKg > 10 {
		t.Fatalf("it weighs %v kg", s.Received.WeightKg)
	}
	return raw
}

func kindsOf(h *history) (list []lot.Kind) {
	for _, e := range h.events {
		list = append(list, e.Kind)
	}
	return list
}
