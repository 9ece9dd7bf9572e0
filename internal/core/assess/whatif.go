package assess

import (
	"fmt"
	"math"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// Option is somewhere that fish could lie from now on.
type Option struct {
	Name    string
	PlaceID int64   // 0 for what is no place: ice, slurry
	Celsius float64 // around the fish
	H       float64 // surface coefficient, W/(m²·K)
	Frozen  bool
	Ageing  bool     // takes fish through its gate
	RoomKg  *float64 // that is free; nil where nobody said
	Basis   string   // what Celsius rests on
	Note    string
	Cold    bool // fish may be kept there
}

// InIce are the ways of icing as options: in ice, in slurry.
func InIce() []Option {
	var list []Option
	for _, id := range []string{"boxed", "slurry"} {
		w, _ := icing.GetMethod(id)
		list = append(list, Option{Name: w.Name, Celsius: w.MediumC, H: w.H, Basis: "melting ice", Note: w.Note,
			Cold: true})
	}
	return list
}

// Outcome is what an option makes of a lot.
type Outcome struct {
	Option
	RealDays  float64   // life left there, days; +Inf where the clock paused while frozen, NaN where nothing is known
	Ends      time.Time // zero where RealDays is no number
	AtService float64   // life left at the hour of service, fresh days; NaN where nothing is known
	Budget    float64   // share of the fullest safety budget at the hour of service; NaN for lots without one
	StopsAt   time.Time // a safety budget is full; zero where it never is
	Settled   time.Duration
	// FrozenMonths is the frozen life left there; nil where it is no freezer, or
	// too warm a one.
	FrozenMonths *float64
	Fits         bool     // nothing speaks against it
	Movable      bool     // it does, and the door would let the lot be moved there
	Against      []string // what does
}

// adaptSteps is how many time constants a fish takes to be where it lies.
const adaptSteps = 5

// WhatIf follows the lot from now on in each option: its life left there and its
// safety budgets at an hour of service. The fish goes to the option's
// temperature with the time constant of the heat model.
func WhatIf(s *lot.State, a Assessment, profile safety.Profile, service time.Time, options []Option) []Outcome {
	list := make([]Outcome, len(options))
	for i, o := range options {
		list[i] = whatIf(s, a, profile, service, o)
	}
	return list
}

func whatIf(s *lot.State, a Assessment, profile safety.Profile, service time.Time, o Option) Outcome {
	out := Outcome{Option: o, RealDays: math.NaN(), AtService: math.NaN(), Budget: math.NaN(),
		Settled: adaptSteps * TimeConstant(s, o.H)}
	against := func(format string, args ...any) { out.Against = append(out.Against, fmt.Sprintf(format, args...)) }
	if o.RoomKg != nil && *o.RoomKg < s.WeightKg {
		against("full: %.0f kg free", math.Max(0, *o.RoomKg))
	}
	if !o.Cold {
		against("not a place to keep fish")
	}
	switch limit := profile.ChilledLimit(s.Species()); {
	case a.Frozen && !o.Frozen:
		against("frozen fish would thaw there")
	case !a.Frozen && !o.Frozen && o.Celsius > limit:
		against("%.1f °C is above %.1f °C, the limit of the rules %s", o.Celsius, limit, profile.Name)
	case !a.Frozen && o.Frozen:
		if why := mayFreeze(s, a); why != "" {
			against("%s", why)
		}
	}
	out.Fits = len(out.Against) == 0
	out.Movable = out.Fits && a.mayMove(o.PlaceID)
	if o.Frozen {
		out.RealDays, out.AtService = math.Inf(1), a.Left.Days
		var use frozen.Use
		if a.FrozenLife != nil {
			use = a.FrozenLife.Use
		}
		if months, err := use.LeftAt(s.FatClass(), o.Celsius); err == nil {
			out.FrozenMonths = &months
		}
		return out
	}
	if a.Frozen || !a.Known() {
		return out
	}
	from := a.At
	curve := coldchain.Follow(a.NowC, []coldchain.Step{{Span: coldchain.Span{From: from,
		To: from.Add(max(out.Settled, time.Minute))}, Celsius: o.Celsius, Tau: out.Settled / adaptSteps}}, nil)
	line := coldchain.Series{Readings: curve, MaxGap: 30 * 24 * time.Hour, Hold: 10 * 365 * 24 * time.Hour}
	out.RealDays = lifeAlong(line, a.Model, from, a.Left.Days)
	if !math.IsInf(out.RealDays, 0) && !math.IsNaN(out.RealDays) {
		out.Ends = from.Add(time.Duration(out.RealDays * 24 * float64(time.Hour)))
	}
	if service.After(from) {
		e, _ := line.Exposure(coldchain.Span{From: from, To: service})
		out.AtService = math.Max(0, a.Left.Days-e.IceDays(a.Model))
	} else {
		out.AtService = a.Left.Days
	}
	out.budgets(a, line, from, service)
	return out
}

// mayMove reports whether the door would let the lot be moved to a place now.
func (a Assessment) mayMove(place int64) bool {
	move := lot.Moved{PlaceID: place}
	_, err := lot.Admit(a.state, a.Facts(move), lot.Event{ID: a.state.ID, HappenedAt: a.At}, move)
	return err == nil
}

// mayFreeze is why a lot is not fit to be frozen, "" where it is: not thawed
// before, in the first half of its life (house).
func mayFreeze(s *lot.State, a Assessment) string {
	switch {
	case s.Frozen():
		return "frozen already"
	case s.Thaw() != nil:
		return "thawed: raw fish is never frozen twice"
	case !a.Known():
		return "age unknown: inspect it before it is frozen"
	case a.Used.Days > a.Shelf/2:
		return "past the first half of its fresh days: freezing does not bring them back"
	}
	return ""
}

// lifeAlong is how many days a life lasts along a line of temperatures: by
// bisection of the fresh days spent, to a minute.
func lifeAlong(line coldchain.Series, m coldchain.Model, from time.Time, left float64) float64 {
	if left <= 0 {
		return 0
	}
	spent := func(days float64) float64 {
		e, _ := line.Exposure(coldchain.Span{From: from, To: from.Add(time.Duration(days * 24 * float64(time.Hour)))})
		if e.BeyondRule() > 0 {
			return math.Inf(1) // no rule: nothing may be counted on
		}
		return e.IceDays(m)
	}
	lo, hi := 0.0, 1.0
	for spent(hi) < left && hi < 3650 {
		lo, hi = hi, 2*hi
	}
	for range 40 {
		if mid := (lo + hi) / 2; spent(mid) < left {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo
}

// budgets follows the safety clocks along the line.
func (o *Outcome) budgets(a Assessment, line coldchain.Series, from, service time.Time) {
	if a.Histamine == nil && a.Oxygen == nil {
		return
	}
	share := func(at time.Time) float64 {
		most := 0.0
		e, _ := line.Exposure(coldchain.Span{From: from, To: at})
		if b := a.Histamine; b != nil {
			hours := 0.0
			if b.After.Used != nil {
				hours = *b.After.Used
			}
			allowed := b.After.Allowed
			if s := safety.StretchOf(e, 0, false); s.Warm {
				allowed = math.Min(allowed, safety.WarmAllowance)
			}
			most = math.Max(b.LargestShare(), (hours+e.HoursAbove(safety.ChilledC))/allowed)
		}
		if x := a.Oxygen; x != nil {
			most = math.Max(most, x.Share+safety.ReducedOxygen(safety.OxygenFacts{Exposure: e}).Share)
		}
		return most
	}
	o.Budget = share(laterOf(from, service))
	const farthest = 60 * 24 * time.Hour
	if share(from) >= 1 || share(from.Add(farthest)) < 1 {
		return
	}
	lo, hi := time.Duration(0), farthest
	for hi-lo > time.Minute {
		if mid := (lo + hi) / 2; share(from.Add(mid)) < 1 {
			lo = mid
		} else {
			hi = mid
		}
	}
	o.StopsAt = from.Add(hi)
}

func laterOf(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}
