package thawing

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/piece"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// EndUse is what becomes of the fish.
type EndUse string

// The end uses.
const (
	Cook EndUse = "cook"
	Raw  EndUse = "raw"
)

// Request is fish to be thawed.
type Request struct {
	Species      species.Species
	Piece        piece.Piece
	StartC       float64 // of the fish, even all through
	Method       string
	MediumC      float64   // around it, °C
	ServeAt      time.Time //
	From         time.Time // when it is, or was, pulled; zero plans back from ServeAt
	VacuumPacked bool      // it lies in a sealed pack now, or in film
	KeepPacked   bool      // and is to stay in it
	EndUse       EndUse
	Policy       Policy
	Profile      safety.Profile
}

// Step is a thing to do at a time.
type Step struct {
	ID   string // open, pull, change, core, dry, out, cook, exit …
	At   time.Time
	Do   string
	Why  string
	Core bool // asks for a core temperature
}

// Plan is how the fish is thawed.
type Plan struct {
	Method   Method
	MediumC  float64
	StartBy  time.Time     // pull it then, at the latest; zero where it never thaws
	Workable time.Duration // all parts at −1.5 °C or above: it can be cut; heat.Never where it is not reached
	IceFree  time.Duration // all parts a tenth above the freezing point
	ReadyAt  time.Time     // free of ice, and ready for what comes before the pan
	Late     bool          // ready only after it is wanted
	KeepTo   time.Time     // use it until then
	Steps    []Step
	Curve    []heat.Moment
	Warnings []string
	Refused  string // why it is not to be done so; "" where it may
}

// Temperatures that a thaw goes by, °C: all parts of the fish at or above.
const (
	WorkableC = -1.5
	IceFreeC  = heat.FreezingC + 0.1
)

// mostThaw is how long a thaw is followed.
const mostThaw = 10 * 24 * time.Hour

// readyCoreC is the core at which thawed fish is at hand: free of ice, still cold.
const readyCoreC = 2.0

// ErrRequest says that a request makes no sense.
var ErrRequest = errors.New("thawing")

// NewPlan plans a thaw. What the rules forbid is planned as far as it can be, with
// Refused saying why not to; the error is an ErrRequest.
func NewPlan(r Request) (Plan, error) {
	method, ok := GetMethod(r.Method)
	if !ok {
		return Plan{}, fmt.Errorf("%w: the method %q is not known", ErrRequest, r.Method)
	}
	if r.EndUse != Cook && r.EndUse != Raw {
		return Plan{}, fmt.Errorf("%w: the end use %q is not known", ErrRequest, r.EndUse)
	}
	p := Plan{Method: method, MediumC: r.MediumC, Workable: heat.Never, IceFree: heat.Never}
	if r.Method == CookFrozen {
		p.fromFrozen(r)
		return p, nil
	}
	curve, err := p.follow(r)
	if err != nil {
		return p, err
	}
	p.forbid(r, curve)
	if p.IceFree == heat.Never {
		return p, nil
	}
	p.time(r)
	p.schedule(r)
	return p, nil
}

// Coefficient is the surface coefficient of the method under a profile, W/(m²·K).
func (m Method) Coefficient(profile safety.Profile) float64 {
	if profile.Water.RunningOnly && m.RunningH > 0 {
		return m.RunningH
	}
	return m.H
}

// process is the thaw as the heat solver takes it.
func (p *Plan) process(r Request) (heat.Process, error) {
	material, err := heat.Of(r.Species).Material()
	if err != nil {
		return heat.Process{}, fmt.Errorf("%w: %w", ErrRequest, err)
	}
	return heat.Process{Body: r.Piece.Body(material), StartC: r.StartC, Medium: heat.Steady(r.MediumC),
		H: p.Method.Coefficient(r.Profile), Max: mostThaw,
		Goals: []heat.Goal{{Part: heat.All, Op: heat.AtLeast, Celsius: WorkableC},
			{Part: heat.All, Op: heat.AtLeast, Celsius: IceFreeC}}}, nil
}

// follow fills in how long it takes.
func (p *Plan) follow(r Request) ([]heat.Moment, error) {
	process, err := p.process(r)
	if err != nil {
		return nil, err
	}
	result, err := process.Run()
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrRequest, err)
	}
	p.Workable, p.IceFree, p.Curve = result.Reached[0], result.Reached[1], result.Curve
	return result.Curve, nil
}

// refuse notes the first reason against the plan.
func (p *Plan) refuse(format string, args ...any) {
	if p.Refused == "" {
		p.Refused = fmt.Sprintf(format, args...)
	}
}

func (p *Plan) warn(format string, args ...any) {
	p.Warnings = append(p.Warnings, fmt.Sprintf(format, args...))
}

// forbid holds the plan against the rules.
func (p *Plan) forbid(r Request, curve []heat.Moment) {
	if r.VacuumPacked && r.KeepPacked {
		p.refuse("a sealed pack is not thawed closed: without oxygen botulinum grows from %.1f °C, and "+
			"nothing shows it; open it first", safety.OxygenC)
	} else if r.VacuumPacked {
		p.warn("Open the pack before it thaws.")
	}
	switch w := r.Profile.Water; p.Method.ID {
	case Fridge:
		limit := r.Profile.ThawFridgeC
		if r.Species.HistamineRules() {
			limit = math.Min(limit, r.Profile.HistamineMaxC)
		}
		if r.MediumC > limit {
			p.refuse("%.1f °C in the fridge is above %.1f °C, the limit of the rules %s", r.MediumC, limit,
				r.Profile.Name)
		}
	case Water:
		if w.Local {
			p.warn("The rules %s leave water to local codes: the limits here are house.", r.Profile.Name)
		}
		if r.MediumC > w.MaxC {
			p.refuse("water of %.0f °C is above %.0f °C, the limit of the rules %s: hot water warms the outside "+
				"while the middle is ice", r.MediumC, w.MaxC, r.Profile.Name)
		}
		warmest, above := warmth(curve, w.WarmC)
		switch {
		case r.EndUse == Raw && w.RawMaxC == nil:
			p.refuse("fish thawed in water is for cooking only, by the rules %s", r.Profile.Name)
		case r.EndUse == Raw && warmest > *w.RawMaxC:
			p.refuse("its outside gets to %.1f °C: fish to be served raw may at no time be above %.0f °C (%s)",
				warmest, *w.RawMaxC, r.Profile.Name)
		}
		if spent := above + minutes(r.Policy.PrepMinutes+r.Policy.OutMinutes); spent.Hours() > w.WarmHours {
			p.refuse("its outside would be above %.0f °C for %.1f h, preparation included: at most %.0f h (%s); "+
				"thaw it in the fridge", w.WarmC, spent.Hours(), w.WarmHours, r.Profile.Name)
		}
		p.warn("One exit: cook it at once. What is left is cooked and chilled, or discarded; never back to the " +
			"fridge raw, never refrozen.")
	}
	if p.IceFree == heat.Never {
		p.refuse("at %.1f °C it does not thaw within %.0f days", r.MediumC, mostThaw.Hours()/24)
	}
	if r.EndUse == Raw {
		p.warn("Raw service needs its parasite route first, and the menu's advisory.")
	}
}

// warmth is the warmest that any part gets, and for how long the warmest part
// is above a limit.
func warmth(curve []heat.Moment, limit float64) (warmest float64, above time.Duration) {
	warmest = math.Inf(-1)
	for i, m := range curve {
		warmest = math.Max(warmest, m.Highest)
		if i > 0 && m.Highest > limit {
			above += m.Since - curve[i-1].Since
		}
	}
	return warmest, above
}

// time sets the moments of the plan.
func (p *Plan) time(r Request) {
	before := minutes(r.Policy.PrepMinutes + r.Policy.OutMinutes)
	p.StartBy = r.ServeAt.Add(-before - p.IceFree).Truncate(time.Minute)
	start := p.StartBy
	if !r.From.IsZero() {
		start = r.From
	}
	p.ReadyAt = start.Add(p.IceFree)
	p.Late = p.ReadyAt.Add(before).After(r.ServeAt.Add(time.Minute))
	hold := p.Method.HoldHours
	if p.Method.ID == Fridge && r.Policy.HoldHours > 0 {
		hold = math.Min(hold, r.Policy.HoldHours)
	}
	p.KeepTo = p.ReadyAt.Add(hours(hold))
	if p.Method.ID == Water { // what the rule leaves, from when its outside is warm
		_, above := warmth(p.Curve, r.Profile.Water.WarmC)
		p.KeepTo = p.ReadyAt.Add(max(0, hours(r.Profile.Water.WarmHours)-above))
	}
	if p.KeepTo.Before(r.ServeAt) {
		p.refuse("ready at %s it does not keep until it is served: start later", p.ReadyAt.Format("Mon 15:04"))
	}
}

// schedule lists the steps, in the order of time.
func (p *Plan) schedule(r Request) {
	start := p.StartBy
	if !r.From.IsZero() {
		start = r.From
	}
	serve := r.ServeAt
	if p.Late {
		serve = p.ReadyAt.Add(minutes(r.Policy.PrepMinutes + r.Policy.OutMinutes))
	}
	add := func(id string, at time.Time, core bool, do, why string) {
		p.Steps = append(p.Steps, Step{id, at, do, why, core})
	}
	if r.VacuumPacked && !r.KeepPacked {
		add("open", start, false, "Open the pack", "closed it is a pack without oxygen")
	}
	switch p.Method.ID {
	case Fridge:
		add("pull", start, false, "Pull: unwrapped, on a rimmed tray, low shelf",
			"glaze melts and drips on what lies below")
		if p.IceFree > 24*time.Hour {
			add("cover", start.Add(24*time.Hour), false, "Cover it", "open for a day")
		}
		if p.IceFree > 6*time.Hour {
			add("drain", start.Add(p.Workable), false, "Pour the drip off, turn it; workable now",
				"all parts at −1.5 °C: it can be cut")
		}
	case Water:
		add("pull", start, false, "Pull: rebag, seal, under a weight in cold water",
			"water and air in the bag keep the cold in")
		if r.Profile.Water.RunningOnly {
			add("run", start, false, "Let the water run over", "the rules ask for running water with overflow")
		} else {
			every := max(r.Profile.Water.ChangeMinutes, 1)
			for at := time.Duration(every) * time.Minute; at < p.IceFree; at += time.Duration(every) * time.Minute {
				add("change", start.Add(at), false, "Change the water", fmt.Sprintf("every %d minutes", every))
			}
		}
	}
	add("core", p.ReadyAt, true, "Measure the core temperature, weigh the drip",
		fmt.Sprintf("free of ice, and no more than %.0f °C", readyCoreC))
	add("dry", serve.Add(-minutes(r.Policy.PrepMinutes+r.Policy.OutMinutes)), false, "Pat dry", "wet skin steams")
	if r.EndUse == Raw {
		add("serve", serve, false, "Serve raw", "from the cold, with its certificate")
	} else {
		add("out", serve.Add(-minutes(r.Policy.OutMinutes)), false, "Out of the cold, to the pan",
			fmt.Sprintf("%.0f minutes at most, and they count", r.Policy.OutMinutes))
		add("cook", serve, true, fmt.Sprintf("Cook: core temperature %.0f °C for %s", r.Profile.Parasite.CookC,
			r.Profile.Parasite.CookFor), r.Profile.Name)
	}
	exit := "Use, cook or discard what is left"
	if p.Method.ID == Water {
		exit = "Cook and chill, or discard, what is left"
	}
	if keep := p.KeepTo; keep.After(serve) {
		add("exit", keep, false, exit, p.Method.Then)
	} else {
		add("exit", serve.Add(minutes(r.Policy.PrepMinutes)), false, exit, p.Method.Then)
	}
	slices.SortStableFunc(p.Steps, func(a, b Step) int { return a.At.Compare(b.At) })
}

// fromFrozen plans what is not thawed at all.
func (p *Plan) fromFrozen(r Request) {
	cook := minutes(p.Method.CookMin)
	p.Workable, p.IceFree = 0, 0
	p.StartBy = r.ServeAt.Add(-cook).Truncate(time.Minute)
	start := p.StartBy
	if !r.From.IsZero() {
		start = r.From
	}
	p.ReadyAt = start
	p.Late = start.Add(cook).After(r.ServeAt.Add(time.Minute))
	p.KeepTo = start.Add(cook)
	if r.EndUse == Raw {
		p.refuse("fish cooked from frozen is not served raw")
	}
	if r.VacuumPacked && r.KeepPacked {
		p.refuse("take it out of its pack first")
	}
	if r.Piece.ThicknessMM > p.Method.MostMM {
		p.refuse("%.0f mm is too thick to cook from frozen: the outside is done long before the centre; at most %.0f mm",
			r.Piece.ThicknessMM, p.Method.MostMM)
	}
	p.warn("The outside cooks ahead of the centre: measure the core temperature, %.0f °C for %s.", r.Profile.Parasite.CookC,
		r.Profile.Parasite.CookFor)
	if r.VacuumPacked {
		p.Steps = append(p.Steps, Step{"open", start, "Open the pack", "it goes into the pan bare", false})
	}
	p.Steps = append(p.Steps, Step{"pull", start, "Pull, wipe the frost off, into the pan", "water steams the skin",
		false},
		Step{"cook", start.Add(cook), fmt.Sprintf("Core %.0f °C for %s", r.Profile.Parasite.CookC,
			r.Profile.Parasite.CookFor), r.Profile.Name, true},
		Step{"exit", start.Add(cook).Add(minutes(r.Policy.PrepMinutes)), "Discard or chill what is left",
			p.Method.Then, false})
}

// MeanAfter is the temperature to which fish would even out that has thawed for
// a time, °C: how it goes on where its method is changed. The error is an
// ErrRequest.
func MeanAfter(r Request, since time.Duration) (float64, error) {
	method, ok := GetMethod(r.Method)
	if !ok || since <= 0 {
		return r.StartC, nil
	}
	p := Plan{Method: method}
	process, err := p.process(r)
	if err != nil {
		return 0, err
	}
	process.Goals, process.Max = nil, since
	result, err := process.Run()
	if err != nil {
		return 0, fmt.Errorf("%w: %w", ErrRequest, err)
	}
	return result.Curve[len(result.Curve)-1].Mean, nil
}

// Choice is a plan by one method.
type Choice struct {
	Plan
	InTime bool // it can still be started
}

// Choose plans the fish by each method of its policy, in its order, and says
// which is the first that is allowed and in time at now; -1 where none is. Each
// is planned back from the service; one that is too late is planned from now.
func Choose(r Request, now time.Time) ([]Choice, int, error) {
	best := -1
	var list []Choice
	for i, id := range r.Policy.Order {
		r.Method, r.MediumC, r.From = id, r.Policy.MediumC(id), time.Time{}
		if id == Fridge {
			r.MediumC = math.Min(r.MediumC, r.Profile.ThawFridgeC)
		} else if id == Water {
			r.MediumC = math.Min(r.MediumC, r.Profile.Water.MaxC)
		}
		p, err := NewPlan(r)
		if err != nil {
			return nil, -1, err
		}
		c := Choice{p, !p.StartBy.IsZero() && !p.StartBy.Before(now.Truncate(time.Minute))}
		if !c.InTime && p.Refused == "" {
			r.From = now
			if c.Plan, err = NewPlan(r); err != nil {
				return nil, -1, err
			}
			c.StartBy = p.StartBy
		}
		if best < 0 && c.InTime && c.Refused == "" {
			best = i
		}
		list = append(list, c)
	}
	return list, best, nil
}
