package assess

import (
	"fmt"
	"math"
	"slices"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/frozen"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// Option is somewhere that fish could lie from now on.
type Option struct {
	Name     string
	PlaceID  int64   // 0 for what is no place: ice, slurry
	Celsius  float64 // around the fish
	Boundary heat.Boundary
	Frozen   bool
	Ageing   bool     // takes fish through its gate
	RoomKg   *float64 // that is free; nil where nobody said
	Basis    string   // what Celsius rests on
	Note     string
	Cold     bool // fish may be kept there
}

// InIce are the ways of icing as options: in ice, in slurry.
func InIce() []Option {
	var list []Option
	for _, id := range []string{"boxed", "slurry"} {
		w, _ := icing.GetMethod(id)
		list = append(list, Option{Name: w.Name, Celsius: w.MediumC, Boundary: heat.Boundary{H: w.H}, Basis: "melting ice", Note: w.Note,
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
	Uses      []Use     // what it is fit for then; empty for what lies frozen there
	Budget    float64   // the largest share of a safety clock at the hour of service; NaN where none runs
	StopsAt   time.Time // a clock closes every use; zero where none does within a fortnight
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

// WhatIf follows the lot from its assessment on in each option: its life left there, and its clocks and
// uses at an hour of service. The fish goes to the option's temperature by the heat model, at the
// unfavourable end.
func (a Assessment) WhatIf(service time.Time, options []Option) []Outcome {
	list := make([]Outcome, len(options))
	for i, o := range options {
		list[i] = a.whatIf(service, o)
	}
	return list
}

func (a Assessment) whatIf(service time.Time, o Option) Outcome {
	s, profile := a.state, a.env.Profile
	out := Outcome{Option: o, RealDays: math.NaN(), AtService: math.NaN(), Budget: math.NaN(),
		Settled: adaptSteps * TimeConstant(s, surfaceH(s.Piece(), o.Boundary, o.Celsius))}
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
		if freeze := a.use(lot.GateFreeze); !freeze.OK {
			against("%s", freeze.Reasons[0])
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
	if a.Frozen {
		return out
	}
	service = laterOf(service, a.At)
	end := laterOf(service, a.At.Add(farthestAhead))
	plan := []Planned{{From: a.At, Name: o.Name, Celsius: o.Celsius, Boundary: o.Boundary, Exposed: !o.Cold}}
	if o.PlaceID != 0 && o.PlaceID == s.Place() {
		plan = nil // it stays as it lies
	}
	ahead := a.Ahead(end, plan...)
	served, far := ahead.At(service), ahead.At(end)
	out.Uses, out.Budget, out.StopsAt = Fitness(a.state, served), served.budget(), stopsAt(a, far, ahead)
	if !a.Known() {
		return out
	}
	out.AtService = math.Max(0, served.Left.Days)
	out.RealDays = far.lastsFrom(a)
	if !math.IsInf(out.RealDays, 0) && !math.IsNaN(out.RealDays) {
		out.Ends = a.At.Add(time.Duration(out.RealDays * 24 * float64(time.Hour)))
	}
	return out
}

// Planned is where a lot will lie from a time on: how warm it is around it, °C, and how heat passes.
type Planned struct {
	From     time.Time
	Name     string
	Celsius  float64
	Boundary heat.Boundary
	Exposed  bool // in a place that is not cooled: from the first minute the fish counts as warm as that
}

// Forecast is a lot with its line drawn ahead.
type Forecast struct {
	t      assessor
	others []Forecast // of the lots that were put together with it
}

// Ahead draws the line of the lot up to a time that lies ahead, along a plan of where it will lie, or as
// it lies.
func (a Assessment) Ahead(until time.Time, plan ...Planned) Forecast {
	env := a.env
	env.Now, env.Plan = a.At, plan
	f := Forecast{t: newAssessor(a.state, env, until)}
	for _, other := range a.others {
		f.others = append(f.others, other.Ahead(until, plan...))
	}
	return f
}

// At is the assessment at a time between the one that the forecast began with and its end: the same
// clocks and the same gate.
func (f Forecast) At(at time.Time) Assessment {
	t := f.t
	t.line = t.line.until(at)
	a := t.assessAt(at)
	for _, other := range f.others {
		a = a.with(other.At(at))
	}
	return a
}

// farthestAhead is how far a lot is followed: by then it is as warm as what is around it, and goes on so.
const farthestAhead = 14 * 24 * time.Hour

// lastsFrom is how many days the life lasts that a lot has at an earlier assessment, along the line that
// was forecast from there; beyond its end at the rate there.
func (a Assessment) lastsFrom(now Assessment) float64 {
	left := now.Left.Days
	if left <= 0 {
		return 0
	}
	spent := func(days float64) float64 {
		e, _ := a.Line.Over(coldchain.Span{From: now.At, To: now.At.Add(time.Duration(days * 24 * float64(time.Hour)))})
		if e.BeyondRule() > 0 {
			return math.Inf(1) // no rule: nothing may be counted on
		}
		return e.IceDays(now.Model)
	}
	lo, hi := 0.0, a.At.Sub(now.At).Hours()/24
	if all := spent(hi); all < left {
		return hi + (left-all)/a.Rate
	}
	for hi-lo > 1e-4 {
		if mid := (lo + hi) / 2; spent(mid) < left {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo
}

// budget is the largest share that a safety clock has used; NaN where none runs.
func (a Assessment) budget() float64 {
	most := math.NaN()
	for _, r := range a.Clocks {
		switch r.ID {
		case ClockToChill, ClockHistamine, ClockOxygen, ClockOutOfCold:
			if !math.IsNaN(r.Share) && !(r.Share <= most) {
				most = r.Share
			}
		}
	}
	return most
}

// stopsAt is when a clock first closes every use of a lot that is assessed now, as it is followed
// ahead; the zero time where one does already, or none does by the farthest assessment.
func stopsAt(now, far Assessment, ahead Forecast) time.Time {
	closed := func(a Assessment) bool {
		return slices.ContainsFunc(a.Clocks, func(r Reading) bool {
			return r.State == safety.StateStop && slices.Contains(r.Guards, lot.GateCook)
		})
	}
	if closed(now) || !closed(far) {
		return time.Time{}
	}
	lo, hi := now.At, far.At
	for hi.Sub(lo) > time.Minute {
		if mid := lo.Add(hi.Sub(lo) / 2); closed(ahead.At(mid)) {
			hi = mid
		} else {
			lo = mid
		}
	}
	return hi
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
	case !s.Species().Fish():
		if s.Species().Body == species.Bivalve && s.Form != "cleaned" {
			return "live: it is not frozen in its shell"
		}
		return ""
	case !a.Known():
		return "age unknown: inspect it before it is frozen"
	case a.Used.Days > a.Shelf/2:
		return "past the first half of its fresh days: freezing does not bring them back"
	}
	return ""
}

func laterOf(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}
